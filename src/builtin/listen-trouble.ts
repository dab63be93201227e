import { codeOf, reasonOf, Trouble } from '../adapters/trouble.ts';
import type { Protocol } from '../core/map/site-map.ts';

interface ListenAt {
  host: string;
  port: number;
  protocol: Protocol;
  /** Of the map, under which the port is written. */
  key: string;
}

/** That a port of the front cannot be had, and why. */
export function listenTrouble({ host, port, protocol, key }: ListenAt, cause: unknown): Trouble {
  const remedies: Record<string, string> = {
    EACCES:
      'Ports below 1024 need root: run this as root, and then `mile-marker install service`, which has the front run as the owner of the map from then on. Or choose others in the map, under `front.listen`.',
    EADDRINUSE: `See who has it: ss -l${protocol === 'tcp' ? 't' : 'u'}np 'sport = :${String(port)}'. Stop that, or write another port in the map: \`${key}\`.`,
    EADDRNOTAVAIL: 'Fix `front` in the map.',
  };
  const remedy = remedies[codeOf(cause) ?? ''] ?? `Fix \`${key}\` in the map.`;
  return new Trouble({
    code: 'cannot-listen',
    message: `Cannot listen on ${host} port ${String(port)}: ${reasonOf(cause)}.`,
    remedy,
    cause,
  });
}
