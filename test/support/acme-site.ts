import { readFileSync, cpSync } from 'node:fs';
import { X509Certificate } from 'node:crypto';
import { join } from 'node:path';
import { startAuthority, startNameServer, type Authority } from './authority.ts';
import { makeCertificates } from './engine.ts';
import { startMeddler, type Meddler } from './meddler.ts';
import { freePorts } from './ports.ts';
import { folderWith, mileMarker } from './program.ts';

export const tsigKey = { name: 'marsh', secret: Buffer.from('a secret of thirty-two octets ...').toString('base64') };

export interface AcmeSite {
  authority: Authority;
  /** The address of the zone's only name server. */
  server: string;
  meddler: () => Promise<Meddler>;
  /** A map with one certificate `it` for one name, and a front that shows a throwaway one so far. */
  siteFor: (name: string, directory: string, options?: SiteOptions) => string;
  stop: () => Promise<void>;
}

export interface SiteOptions {
  kind?: 'ec' | 'rsa';
  /** What stands under `dns`. */
  dns?: string;
}

/** A real authority, a real name server for saltmarsh.example and reedbed.example (which takes no updates), and maps for them. */
export async function startAcmeSite(server: string): Promise<AcmeSite> {
  const folder = folderWith();
  const [api = 0, management = 0, http = 0] = await freePorts(3);
  const head = (domain: string): string => `$ORIGIN ${domain}.
@ 60 SOA ns1.saltmarsh.example. keeper.saltmarsh.example. 1 60 60 60 60
@ 60 NS ns1.saltmarsh.example.
`;
  const names = await startNameServer({
    folder,
    address: server,
    zones: {
      'saltmarsh.example': `${head('saltmarsh.example')}ns1 60 A ${server}
barred 60 CAA 0 issue "somebody-else.example"
let-in 60 CAA 0 issue "authority.example"
`,
      'reedbed.example': head('reedbed.example'),
    },
    key: tsigKey,
    closed: ['reedbed.example'],
  });
  const authority = await startAuthority({ folder, ports: [api, management, http], nameServer: `${server}:53` });
  const tls = join(folder, 'tls');
  makeCertificates(tls);
  const siteOf = (name: string, directory: string, { kind = 'ec', dns }: SiteOptions = {}): string =>
    folderWith({
      'mile-marker.yaml': `domains: [saltmarsh.example, reedbed.example]
front: {address: 127.0.0.1, ports: {http: 8080, https: 8443}, mark: "127.0.0.1:29180"}
acme: {directory: "${directory}", root: root.pem, challenge: dns}
${dns ?? `dns: {server: "${server}", key: tsig.key}`}
certificates:
  it: {names: ${name}, from: acme, key: ${kind}}
roads:
  ${name}: ":9"
`,
      'tsig.key': `key "${tsigKey.name}" { algorithm hmac-sha256; secret "${tsigKey.secret}"; };\n`,
      'root.pem': readFileSync(directory === authority.directory ? authority.root : join(tls, 'ca.pem'), 'utf8'),
    });
  const template = siteOf('it.saltmarsh.example', authority.directory);
  await mileMarker(['write'], template);
  return {
    authority,
    server,
    meddler: () => startMeddler(authority, tls),
    siteFor: (name, directory, options) => {
      const site = siteOf(name, directory, options);
      cpSync(join(template, '.mile-marker'), join(site, '.mile-marker'), { recursive: true });
      return site;
    },
    stop: async () => {
      await authority.stop();
      await names.stop();
    },
  };
}

export const pairOf = (folder: string): string => join(folder, '.mile-marker/certificates/it/current');

export function heldBy(folder: string): X509Certificate {
  return new X509Certificate(readFileSync(join(pairOf(folder), 'certificate.pem')));
}
