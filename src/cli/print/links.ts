import type { PhoneLink } from '../../core/legs/links.ts';
import type { Io } from '../io.ts';
import { style, wrap } from './style.ts';

/** Links by the connection that the phone must have, each with what must be seen. */
export function formatLinks(links: readonly PhoneLink[], { width, colour }: Pick<Io, 'width' | 'colour'>): string {
  const paint = style(colour.out);
  const heads = { 'mobile data': 'On mobile data, Wi-Fi off', 'Wi-Fi at home': 'On the Wi-Fi at home' } as const;
  const parts = (['mobile data', 'Wi-Fi at home'] as const).flatMap((on) => {
    const own = links.filter((link) => link.on === on);
    if (own.length === 0) return [];
    const lines = own.map(({ url, see }) => `${url}\n${wrap(see, { width, first: '    see: ', indent: '         ' })}`);
    return [`${paint.bold(heads[on])}\n\n${lines.join('')}`];
  });
  return parts.join('\n');
}
