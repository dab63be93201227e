import { parseAddress } from '../networks/address.ts';
import { parseHostName } from './host-name.ts';

/** A URL with http or https and a host that can be one, or null. Control characters and blanks are never dropped silently. */
export function webUrl(text: string): URL | null {
  // Longer than any address bar shows, and too long for a word of some servers' configuration.
  if (text.length > 1500 || /[\u0000-\u0020\u007f\\]/.test(text) || !/^https?:\/\/[^/]/i.test(text)) return null;
  let url: URL;
  try {
    url = new URL(text);
  } catch {
    return null;
  }
  if (url.port === '0') return null;
  return parseAddress(url.hostname) !== null || parseHostName(url.hostname).ok ? url : null;
}

/** Host of a URL in comparable form: an address without brackets, or a name without the dot at its end. */
export function hostOf(url: URL): string {
  return parseAddress(url.hostname) ?? url.hostname.replace(/\.$/, '');
}

export function portOf(url: URL): number {
  if (url.port !== '') return Number(url.port);
  return url.protocol === 'https:' ? 443 : 80;
}
