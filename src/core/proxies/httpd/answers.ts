import type { PageKind } from '../../map/site-map.ts';
import type { Plan } from '../../plan/plan.ts';
import { pageStatuses } from '../page-files.ts';
import type { WrittenFile } from '../renderer.ts';
import { escapeSubstitution, quoteRewrite, rewrite, type Conditions } from './quote.ts';

/** Folder of the answers that are files, beside the entry file. */
export const answersPath = 'answers';

/** A request for which httpd is to find no file; after the gate it is answered. */
export function toNothing(current: string, when: Conditions, flags = ''): string[] {
  return rewrite(when, quoteRewrite(escapeSubstitution(`${current}/${answersPath}/none`)), `L${flags}`);
}

/** Condition of a header that belongs to a refusal of a method by httpd itself, and to none by a service. */
export const onRefusal = '"expr=%{REQUEST_STATUS} == 405 && -n %{env:mm_own}"';

const reasons: Readonly<Record<number, string>> = {
  403: 'Forbidden',
  404: 'Not Found',
  405: 'Method Not Allowed',
  502: 'Bad Gateway',
  503: 'Service Unavailable',
};

/** In the place whose refusal a page stands for; that of a service which cannot be reached has its lines already. */
export function pageLine({ pages }: Plan, kind: Exclude<PageKind, 'down'>): string[] {
  const [status] = pageStatuses[kind];
  return pages[kind] === undefined ? [] : [`ErrorDocument ${String(status)} /.mile-marker/${kind}`];
}

/** Head and body as mod_asis sends them: the pages of the map, and in the look of httpd's own what has none. */
export function answerFiles({ pages }: Plan): WrittenFile[] {
  const kinds = ['paused', 'refused', 'unknown'] as const;
  return [
    answerFile('405', 405, plainPage(405)),
    answerFile('502', 502, pages.down ?? plainPage(502)),
    ...kinds.flatMap((kind) => {
      const [status = 0] = pageStatuses[kind];
      const text = pages[kind];
      return text === undefined ? [] : [answerFile(kind, status, text)];
    }),
  ];
}

function answerFile(name: string, status: number, body: string): WrittenFile {
  const head = [`Status: ${String(status)} ${reasons[status] ?? ''}`, 'Content-Type: text/html; charset=utf-8', ''];
  return { path: `${answersPath}/${name}.asis`, content: [...head, body].join('\n') };
}

/** By this form `isOwnError` knows it, as it does those that httpd makes. */
function plainPage(status: number): string {
  const reason = reasons[status] ?? '';
  return [
    '<!DOCTYPE HTML PUBLIC "-//W3C//DTD HTML 4.01//EN" "http://www.w3.org/TR/html4/strict.dtd">',
    '<html><head>',
    `<title>${String(status)} ${reason}</title>`,
    '</head><body>',
    `<h1>${reason}</h1>`,
    '</body></html>',
    '',
  ].join('\n');
}
