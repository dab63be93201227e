import { wordsOf } from '../../core/records/judge.ts';
import type { NameHeard } from '../../core/records/picture.ts';
import type { CheckedDns } from '../../use-cases/dns/check-dns.ts';
import { formatFindings } from './findings.ts';
import { legCell } from './verify.ts';
import { style } from './style.ts';
import { table } from './table.ts';

/** One row a name: what its zone says, what the resolver says, and how that is judged; the findings under it. */
export function formatDns(
  { names, picture, findings }: CheckedDns,
  { width, colour }: { width: number; colour: boolean },
): string {
  const paint = style(colour);
  const head = ['name', 'its zone says', `${picture.resolver} says`, 'judged'].map((word) => paint.bold(word));
  const rows = names.map(({ name, result }) => {
    const heard = picture.names.find((one) => one.name === name);
    const cells = heard === undefined ? ['', ''] : [zoneSays(heard), narrow(wordsOf(heard.resolver))];
    return [name, ...cells, legCell(result, paint, width)];
  });
  const told = findings.length === 0 ? '' : `\n${formatFindings(findings, { width, colour })}`;
  return `${table(head, rows)}${told}`;
}

/** One line when all its servers say the same, else one for each. */
function zoneSays({ servers }: NameHeard): string {
  const says = servers.map(({ name, heard }) => ({ name, words: narrow(wordsOf(heard)) }));
  const [first] = says;
  if (first === undefined) return 'nothing';
  if (says.every(({ words }) => words === first.words)) return first.words;
  return says.map(({ name, words }) => `${name}:\n  ${words}`).join('\n');
}

/** Addresses one below the other. */
function narrow(words: string): string {
  return /^[\d.a-f: ]+$/i.test(words) ? words.replace(/ /g, '\n') : words;
}
