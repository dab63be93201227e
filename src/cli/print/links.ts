import type { PhoneLink } from '../../core/legs/links.ts';
import type { Io } from '../io.ts';
import { style } from './style.ts';
import { table } from './table.ts';

const heads = { 'mobile data': 'on mobile data, Wi-Fi off', 'Wi-Fi at home': 'on the Wi-Fi at home' } as const;

/** Links by the connection that the phone must have, each with what must be seen. */
export function formatLinks(links: readonly PhoneLink[], { width, colour }: Pick<Io, 'width' | 'colour'>): string {
  const paint = style(colour.out);
  const widest = Math.max(
    0,
    ...links.map(({ url }) => url.length),
    ...Object.values(heads).map(({ length }) => length),
  );
  const parts = (['mobile data', 'Wi-Fi at home'] as const).flatMap((on) => {
    const own = links.filter((link) => link.on === on);
    if (own.length === 0) return [];
    // Columns of both tables begin at the same place.
    const head = [heads[on].padEnd(widest), 'expect'].map((word) => paint.bold(word));
    return [
      table(
        head,
        own.map(({ url, see }) => [url, see]),
        width,
      ),
    ];
  });
  return parts.join('\n');
}
