import type { NameServer } from '../../adapters/dns/query.ts';
import { systemResolver, type ZoneReader } from '../../adapters/dns/zone.ts';
import type { RecordWay } from '../../adapters/records/way.ts';
import { Trouble } from '../../adapters/trouble.ts';

export const dnsTimeoutMs = 5000;

/** Whom DNS questions go to: the given resolver, else the server for updates, else the first one of this machine. */
export function readerFor(resolver: NameServer | null, way: RecordWay): ZoneReader {
  const found = resolver ?? way.server ?? systemResolver();
  if (found !== null) return { resolver: found, timeoutMs: dnsTimeoutMs };
  throw new Trouble({
    code: 'no-resolver',
    message: 'This machine has no resolver.',
    remedy: 'Name one with --resolver ADDR[:PORT].',
  });
}
