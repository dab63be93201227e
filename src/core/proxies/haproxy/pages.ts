import type { PageKind } from '../../map/site-map.ts';
import type { Plan } from '../../plan/plan.ts';
import { pagePath } from '../page-files.ts';
import { comment, quote } from './quote.ts';

const type = "content-type 'text/html; charset=utf-8'";

/** Behind `http-request return status STATUS`: the page that stands for plain words. */
export function pageWords({ pages }: Plan, current: string, kind: PageKind): string {
  return pages[kind] === undefined ? '' : ` ${type} file ${quote(`${current}/${pagePath(kind)}`)}`;
}

/** What haproxy says itself where a service cannot be reached. */
export function downLines({ pages }: Plan, current: string): string[] {
  if (pages.down === undefined) return [];
  const file = quote(`${current}/${pagePath('down')}`);
  return [
    comment('The answer when a service cannot be reached.'),
    ...[502, 503, 504].map((status) => `http-error status ${String(status)} ${type} file ${file}`),
  ];
}
