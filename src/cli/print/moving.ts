import { programOf } from '../../core/proxies/programs.ts';
import type { MovingOf } from '../../use-cases/live/moving.ts';
import { plural, wrap } from './style.ts';

const mostCases = 5;

/** What changes for visitors when a map moves from one proxy to another. */
export function movingWords({ from, to, noticed, odd, played, otherwise }: MovingOf, width: number): string {
  const [before, after] = [programOf(from).title, programOf(to).title];
  const head = `\nfrom ${before} to ${after}`;
  const hint = { width, first: '  ', indent: '    ' };
  const rows = noticed.map((one) => wrap(`${one.what}: now ${one.before}; then ${one.after}`, hint));
  const cases = otherwise.map(({ road, what, before: old, after: now }) =>
    wrap(`${road === null ? '' : `${road}, `}${what}: now ${old}; then ${now}`, hint),
  );
  const shown = cases.slice(0, mostCases);
  const more = cases.length - shown.length;
  return [
    rows.length === 0 ? `${head}, nothing changes for visitors or services.\n` : `${head}, this changes:\n`,
    ...rows,
    `Of ${plural(played, 'request')} that a rehearsal plays, ${String(otherwise.length)} ${otherwise.length === 1 ? 'is' : 'are'} answered differently${shown.length === 0 ? '.' : ':'}\n`,
    ...shown,
    ...(more > 0 ? [`  and ${String(more)} more\n`] : []),
    ...(odd === 0
      ? []
      : [wrap(`Also ${plural(odd, 'difference')} for requests that no browser sends: docs/proxies.md`, { width })]),
    '\n',
  ].join('');
}

/** The same as data. */
export function movingAsJson(moving: MovingOf | null): Record<string, unknown> | null {
  if (moving === null) return null;
  const { from, to, noticed, odd, played, otherwise } = moving;
  return { from, to, noticed: noticed.map(({ id, before, after }) => ({ id, before, after })), odd, played, otherwise };
}
