import { parseAddress } from '../networks/address.ts';
import type { PortMapping } from './inventory.ts';

interface Range {
  from: number;
  to: number;
}

/**
 * Reads one entry of a service's `ports` in the short syntax `[[HOST:]PUBLISHED:]TARGET[/PROTOCOL]` (Compose
 * Specification, "ports", short syntax). Ranges are spread out. Null when it follows no known form.
 */
export function parseShortPort(text: string): PortMapping[] | null {
  const match = /^(?:(?:(\[[^\]]+\]|[^:[\]]*):)?([\d-]*):)?(\d+(?:-\d+)?)(?:\/(tcp|udp))?$/.exec(text.trim());
  if (match === null) return null;
  const [, host, published = '', target = '', protocol = 'tcp'] = match;
  return spread({ host: host ?? '', published, target, protocol });
}

/** Reads one entry in the long syntax: `target`, `published`, `host_ip`, `protocol`. */
export function parseLongPort(entry: Readonly<Record<string, unknown>>): PortMapping[] | null {
  const text = (key: string): string => {
    const value = entry[key];
    return typeof value === 'string' || typeof value === 'number' ? String(value) : '';
  };
  return spread({
    host: text('host_ip'),
    published: text('published'),
    target: text('target'),
    protocol: text('protocol') || 'tcp',
  });
}

interface Written {
  host: string;
  published: string;
  target: string;
  protocol: string;
}

function spread({ host, published, target, protocol }: Written): PortMapping[] | null {
  const hostAddress = host === '' ? null : parseAddress(host);
  const inside = parseRange(target);
  const outside = published === '' ? null : parseRange(published);
  if (inside === null || (host !== '' && hostAddress === null) || (protocol !== 'tcp' && protocol !== 'udp'))
    return null;
  if (published !== '' && outside === null) return null;
  const size = inside.to - inside.from;
  // A range outside for one port inside: the engine takes any free port of the range.
  const picked = outside !== null && size === 0 && outside.to !== outside.from;
  if (outside !== null && !picked && outside.to - outside.from !== size) return null;
  return Array.from({ length: size + 1 }, (_, index) => ({
    hostAddress: hostAddress === '0.0.0.0' ? null : hostAddress,
    hostPort: outside === null || picked ? null : outside.from + index,
    containerPort: inside.from + index,
    protocol,
  }));
}

function parseRange(text: string): Range | null {
  const match = /^(\d{1,5})(?:-(\d{1,5}))?$/.exec(text);
  if (match === null) return null;
  const from = Number(match[1]);
  const to = Number(match[2] ?? match[1]);
  return from < 1 || to > 65_535 || to < from ? null : { from, to };
}
