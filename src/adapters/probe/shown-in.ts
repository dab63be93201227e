import type { Pair } from '../certificates/make.ts';

/** What a handshake shows of a device, for the options of node:tls. */
export function shownIn(device: Pair | null | undefined): { cert?: string; key?: string } {
  return device === null || device === undefined ? {} : { cert: device.certificate, key: device.key };
}
