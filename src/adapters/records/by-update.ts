import { resolve } from 'node:path';
import { parseTsigKey } from '../dns/tsig.ts';
import { updateSets, updateTxt } from '../dns/update.ts';
import { readText } from '../files/read-text.ts';
import { parseEndpoint } from '../probe/look-up.ts';
import { Trouble } from '../trouble.ts';
import type { ReadWay } from './way.ts';

/** Sets in one message; beyond that a message would not fit into 65535 octets. */
const setsAtOnce = 300;

/** Signed messages to a name server (RFC 2136, RFC 8945). @throws Trouble `tsig-form` */
export const byUpdate: ReadWay = async (dns, folder) => {
  if (dns.server === null) return null;
  const { address, port } = parseEndpoint(dns.server, 53, 'dns.server');
  const server = { address, port };
  const path = resolve(folder, dns.key ?? '');
  const key = parseTsigKey(await readText({ path, what: 'TSIG key file' }));
  if (key === null)
    throw new Trouble({
      code: 'tsig-form',
      message: `${path} contains no TSIG key.`,
      remedy: 'Write: key "NAME" { algorithm hmac-sha256; secret "BASE64"; };',
      exitCode: 2,
    });
  return {
    isByHand: false,
    server,
    changeProof: ({ zone, ...change }, { now, timeoutMs }) => updateTxt({ server, key, zone, change, now, timeoutMs }),
    changeSets: async (zone, changes, { now, timeoutMs, signal }) => {
      for (let from = 0; from < changes.length; from += setsAtOnce) {
        signal.throwIfAborted();
        await updateSets({ server, key, zone, sets: changes.slice(from, from + setsAtOnce), now, timeoutMs });
      }
    },
  };
};
