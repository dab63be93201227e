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
      'Ports below 1024 need root. Run this as root, then `mile-marker install service`: from then on the front runs as the owner of the map. Or choose higher ports in the map, under `front.listen`.',
    EADDRINUSE: `See who has it: ss -l${protocol === 'tcp' ? 't' : 'u'}np 'sport = :${String(port)}'. Stop that program, or write another port in the map: \`${key}\`.`,
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
