import { withPort } from '../../networks/address.ts';
import type { Plan } from '../../plan/plan.ts';

type Listener = 'http' | 'https';

const isAny = (address: string): boolean => address === '0.0.0.0' || address === '::';

/** Where a server is reached, for `<VirtualHost …>`. Of names at the same place httpd compares all that are there. */
export function placesOf({ front: { listen } }: Plan, listener: Listener): string {
  const port = listen[listener];
  if (listen.addresses.some(isAny)) return `*:${String(port)}`;
  return listen.addresses.map((address) => withPort(address, port)).join(' ');
}

/** `Listen` lines of both listeners. An address may be listened to once in a whole configuration, so they stand in a file of their own. */
export function listenLines({ front: { listen } }: Plan): string[] {
  const both = listen.addresses.filter(isAny).length === 2;
  return ([listen.http, listen.https] as const).flatMap((port) =>
    // The port alone is both wildcards.
    both ? [`Listen ${String(port)}`] : listen.addresses.map((address) => `Listen ${withPort(address, port)}`),
  );
}
