import type { RoadKeys } from './schema/map.ts';

/** How a service behind https proves who it is. Paths are relative to the map. */
type MapTrust = { kind: 'system' } | { kind: 'ca'; file: string } | { kind: 'pin'; digest: string } | { kind: 'none' };

/** What a road says of its services. @property sayHost Host header that they get; null for the visitor's own */
export interface UpstreamKeys {
  trust: MapTrust;
  sayHost: string | null;
}

/** Reads the keys of a road that were found sound. */
export function upstreamKeys(
  written: Pick<RoadKeys, 'upstream-ca' | 'upstream-pin' | 'upstream-insecure' | 'upstream-host'>,
): UpstreamKeys {
  return { trust: trustOf(written), sayHost: written['upstream-host'] ?? null };
}

function trustOf(written: Parameters<typeof upstreamKeys>[0]): MapTrust {
  if (written['upstream-ca'] !== undefined) return { kind: 'ca', file: written['upstream-ca'] };
  if (written['upstream-pin'] !== undefined) return { kind: 'pin', digest: written['upstream-pin'] };
  return written['upstream-insecure'] === true ? { kind: 'none' } : { kind: 'system' };
}
