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

const answers: Readonly<Record<string, string>> = { '405': 'Method Not Allowed', '502': 'Bad Gateway' };

/** Head and body as mod_asis sends them, in the look of httpd's own. */
export function answerFiles(): WrittenFile[] {
  return Object.entries(answers).map(([status, reason]) => ({
    path: `${answersPath}/${status}.asis`,
    content: [
      `Status: ${status} ${reason}`,
      'Content-Type: text/html; charset=utf-8',
      '',
      // By this form `isOwnError` knows it, as it does those that httpd makes.
      '<!DOCTYPE HTML PUBLIC "-//W3C//DTD HTML 4.01//EN" "http://www.w3.org/TR/html4/strict.dtd">',
      '<html><head>',
      `<title>${status} ${reason}</title>`,
      '</head><body>',
      `<h1>${reason}</h1>`,
      '</body></html>',
      '',
    ].join('\n'),
  }));
}
