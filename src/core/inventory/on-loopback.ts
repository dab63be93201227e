import type { PublishedPort, Service } from './inventory.ts';

/** How an entry stands in a list: on a line of its own, or between brackets. */
type Style = Pick<PublishedPort, 'inFlow'>;

/**
 * One entry of a service's `ports` as it is written, bound to loopback: the text to write in its place, in the same style. Variables in it
 * stay as they are. The long syntax says it in a key of its own.
 */
export function onLoopback(written: string, style: Style): string {
  const bare = written.replace(/^(["'])(.*)\1$/, '$2');
  if (/(^|[\s{,])target:/.test(bare)) return 'host_ip: 127.0.0.1';
  const short = bare.replace(/^(0\.0\.0\.0|\[::\]|::):/, '');
  const insideOnly = !short.replace(/\$\{[^}]*\}/g, '').includes(':');
  return entryText(`127.0.0.1:${insideOnly ? ':' : ''}${short}`, style);
}

/** A new entry that publishes a port on loopback, in the style of the others that a service has. */
export function loopbackEntry(
  { declared, published }: Service,
  outside: number,
  inside: number,
  protocol: PublishedPort['protocol'] = 'tcp',
): string {
  const [other] = declared?.published ?? published;
  return entryText(`127.0.0.1:${String(outside)}:${String(inside)}${portEnding(protocol)}`, other ?? { inFlow: false });
}

/** What an entry of `ports` has behind its numbers: TCP goes without saying. */
export function portEnding(protocol: PublishedPort['protocol']): string {
  return protocol === 'tcp' ? '' : `/${protocol}`;
}

function entryText(text: string, { inFlow }: Style): string {
  return `${inFlow ? '' : '- '}"${text}"`;
}
