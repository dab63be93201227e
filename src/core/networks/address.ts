import ipaddr from 'ipaddr.js';

const plainQuad = /^(?:25[0-5]|2[0-4]\d|1\d\d|[1-9]?\d)(?:\.(?:25[0-5]|2[0-4]\d|1\d\d|[1-9]?\d)){3}$/;

/** An address in its one written form (RFC 5952 for IPv6; an IPv4-mapped one becomes IPv4), or null. No zone, no brackets. */
export function parseAddress(text: string): string | null {
  const bare = text.startsWith('[') && text.endsWith(']') ? text.slice(1, -1) : text;
  // Most addresses of a large map are written like this, and are their own one form.
  if (plainQuad.test(bare)) return bare;
  if (!/^[0-9a-f:.]+$/i.test(bare)) return null;
  // ipaddr.js also reads inet_aton shorthands such as 010.1 or 2130706433; in a map they are slips.
  if (!ipaddr.IPv6.isValid(bare) && !ipaddr.IPv4.isValidFourPartDecimal(bare)) return null;
  return ipaddr.process(bare).toString();
}

/** A network in CIDR form with the host bits cleared, or null. A single address is the network of itself. */
export function parseNetwork(text: string): string | null {
  const [base = '', bits, ...rest] = text.split('/');
  const address = parseAddress(base);
  if (address === null || rest.length > 0) return null;
  const size = address.includes(':') ? 128 : 32;
  if (bits !== undefined && !(/^\d{1,3}$/.test(bits) && Number(bits) <= size)) return null;
  const cidr = `${address}/${bits ?? String(size)}`;
  const family = size === 32 ? ipaddr.IPv4 : ipaddr.IPv6;
  return `${family.networkAddressFromCIDR(cidr).toString()}/${bits ?? String(size)}`;
}

/** Whether `address` lies in any of `networks`. Families never match each other; a mapped IPv4 address counts as IPv4. */
export function inNetworks(address: string, networks: readonly string[]): boolean {
  const known = parseAddress(address);
  if (known === null) return false;
  const parsed = ipaddr.parse(known);
  return networks.some((network) => {
    const [base, bits] = ipaddr.parseCIDR(network);
    return base.kind() === parsed.kind() && parsed.match([base, bits]);
  });
}

/** An address as it stands in a URL or after `listen`: IPv6 in brackets (RFC 3986 §3.2.2). */
export function inUrl(address: string): string {
  return address.includes(':') ? `[${address}]` : address;
}

/** `ADDRESS:PORT` with IPv6 in brackets. */
export function withPort(address: string, port: number): string {
  return `${inUrl(address)}:${String(port)}`;
}

/** 127.0.0.0/8 (RFC 1122 §3.2.1.3) and ::1 (RFC 4291 §2.5.3). */
export function isLoopback(address: string): boolean {
  const known = parseAddress(address);
  return known === '::1' || known?.startsWith('127.') === true;
}

/** Addresses that the public network does not route: a visitor outside can never reach them (RFC 6890). */
export function isPrivate(address: string): boolean {
  const known = parseAddress(address);
  if (known === null) return false;
  return ['private', 'loopback', 'linkLocal', 'uniqueLocal', 'carrierGradeNat', 'unspecified'].includes(
    ipaddr.parse(known).range(),
  );
}

/** What a socket is bound to that hears on every address of the host. */
export function isEveryAddress(address: string | null): boolean {
  return address === null || address === '0.0.0.0' || address === '::';
}

/** Addresses that hold on one link only, and that no other network can dial (RFC 4291 §2.5.6, RFC 3927). */
export function isLinkLocal(address: string): boolean {
  return inNetworks(address, ['fe80::/10', '169.254.0.0/16']);
}

/** 4 or 6. */
export function familyOf(address: string): 4 | 6 {
  return address.includes(':') ? 6 : 4;
}
