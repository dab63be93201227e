import { webUrl } from '../names/web-url.ts';

/** Where part of a road may send visitors: a path of the same road in normal form, or a URL without query. */
export function isPathRedirect(text: string): boolean {
  if (text.startsWith('/')) return /^\/(?!\/)[A-Za-z0-9._~!$&'()*+,=:@/-]*$/.test(text) && !text.includes('//');
  const url = webUrl(text);
  return url !== null && url.search === '' && url.hash === '' && url.username === '' && url.password === '';
}

/** RFC 6454 §7: scheme, host and port alone. */
export function isOrigin(text: string): boolean {
  const url = webUrl(text);
  return text === '*' || (url !== null && url.origin.toLowerCase() === text.toLowerCase().replace(/\/$/, ''));
}

/** Headers that belong to the protocol, or for which the map has a key of its own. In lower case. */
export const reservedHeaders: ReadonlyMap<string, string> = new Map([
  ['connection', 'It belongs to one connection, and the proxy sets it.'],
  ['content-encoding', 'The service says how it coded its answer.'],
  ['content-length', 'The proxy counts it.'],
  ['content-type', 'The service knows what it sends.'],
  ['date', 'The proxy sets it.'],
  ['keep-alive', 'It belongs to one connection, and the proxy sets it.'],
  ['location', 'Write `redirect` for a redirect.'],
  ['proxy-connection', 'It belongs to one connection, and the proxy sets it.'],
  ['server', 'The proxy sets it.'],
  ['set-cookie', 'Cookies are the service’s.'],
  ['strict-transport-security', 'Write `hsts`.'],
  ['te', 'It belongs to one connection, and the proxy sets it.'],
  ['trailer', 'It belongs to one connection, and the proxy sets it.'],
  ['transfer-encoding', 'The proxy frames the answer.'],
  ['upgrade', 'It belongs to one connection, and the proxy sets it.'],
  ['vary', 'The service says what its answer depends on.'],
  ['www-authenticate', 'Write a gate with `people`.'],
]);
