/**
 * What stands for a client where requests, passwords or connections are counted: an IPv4 address, or the /64 of an IPv6 one, since that is what one
 * household or server gets, and every address in it is its own (RFC 6177 §2, RFC 8981).
 *
 * @param address in comparable form (`parseAddress`); anything else stands for itself
 */
export function countedAs(address: string): string {
  if (!address.includes(':')) return address;
  const [left = '', right] = address.split('::');
  const before = left === '' ? [] : left.split(':');
  const after = right === undefined || right === '' ? [] : right.split(':');
  const zeros = Array.from({ length: 8 - before.length - after.length }, () => '0');
  const groups = [...before, ...(right === undefined ? [] : zeros), ...after];
  return `${groups.slice(0, 4).join(':')}::/64`;
}
