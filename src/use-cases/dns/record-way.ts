import { join, resolve } from 'node:path';
import type { RecordWay } from '../../adapters/acme/publish.ts';
import type { NameServer } from '../../adapters/dns/query.ts';
import { parseTsigKey } from '../../adapters/dns/tsig.ts';
import { systemResolver, type ZoneReader } from '../../adapters/dns/zone.ts';
import { readText } from '../../adapters/files/read-text.ts';
import { parseEndpoint } from '../../adapters/probe/look-up.ts';
import { Trouble } from '../../adapters/trouble.ts';
import type { SiteMap } from '../../core/map/site-map.ts';

export const dnsTimeoutMs = 5000;

/** Whom DNS questions go to: the given resolver, else the server for updates, else the first one of this machine. */
export function readerFor(resolver: NameServer | null, way: RecordWay): ZoneReader {
  const found = resolver ?? (way.kind === 'update' ? way.server : systemResolver());
  if (found !== null) return { resolver: found, timeoutMs: dnsTimeoutMs };
  throw new Trouble({
    code: 'no-resolver',
    message: 'This machine has no resolver.',
    remedy: 'Name one with --resolver ADDR[:PORT].',
  });
}

/**
 * How the map says that records are published.
 *
 * @throws Trouble `tsig-form`
 */
export async function recordWay(dns: SiteMap['dns'], folder: string): Promise<RecordWay> {
  const { server, key: keyFile, program: words } = dns;
  if (server !== null) {
    const { address, port } = parseEndpoint(server, 53, 'dns.server');
    const path = resolve(folder, keyFile ?? '');
    const key = parseTsigKey(await readText({ path, what: 'TSIG key file' }));
    if (key !== null) return { kind: 'update', server: { address, port }, key };
    const message = `${path} contains no TSIG key.`;
    throw new Trouble({
      code: 'tsig-form',
      message,
      remedy: 'Write: key "NAME" { algorithm hmac-sha256; secret "BASE64"; };',
      exitCode: 2,
    });
  }
  if (words === null) return { kind: 'hand' };
  const [program = '', ...rest] = words;
  return { kind: 'program', program: [program.startsWith('.') ? join(folder, program) : program, ...rest], folder };
}
