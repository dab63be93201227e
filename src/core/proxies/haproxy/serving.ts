import { parseAddress } from '../../networks/address.ts';
import { isPublicLiteral } from '../../takeover/words.ts';
import { aclsOf, conditionOf, pairsOf, type Condition, type Test } from './conditions.ts';
import { sectionsOf, type Line, type Parts, type Section } from './tree.ts';

/** A port that something listens on, with the pairs that it shows. */
interface Bind {
  port: number;
  secure: boolean;
  address: string | null;
  pairs: string[];
}

/** A rule of a frontend or a backend, with what it asks. */
export interface Ruled {
  line: Line;
  condition: Condition | null;
}

/** What answers visitors: a `frontend`, or a `listen`, which is its own backend. */
export interface Frontend {
  section: Section;
  binds: Bind[];
  isHttp: boolean;
  rules: Ruled[];
  /** That its rules name. */
  names: string[];
  patterns: boolean;
}

export interface Configuration {
  frontends: Frontend[];
  backends: ReadonlyMap<string, Section>;
  lists: ReadonlyMap<string, string>;
}

/** A haproxy's own files, read as far as it goes to say which names it serves and where they lead. */
export function readConfiguration({ files, lists }: Parts): Configuration {
  const sections = sectionsOf(files);
  const backends = new Map(
    sections.flatMap((one) => (['backend', 'listen'].includes(one.kind) ? [[one.name, one] as const] : [])),
  );
  let mode = 'tcp';
  const frontends = sections.flatMap((section): Frontend[] => {
    const own = section.lines.find(({ words }) => words[0] === 'mode')?.words[1];
    // Of several `defaults` the one that stands before counts.
    if (section.kind === 'defaults') mode = own ?? 'tcp';
    if (section.kind !== 'frontend' && section.kind !== 'listen') return [];
    const binds = section.lines.flatMap(({ words }) => (words[0] === 'bind' ? bindsOf(words) : []));
    const rules = rulesOf(section, lists);
    const tests = rules.flatMap(({ condition }) => (condition ?? []).flat().map(({ test }) => test));
    const names = tests.flatMap((test) =>
      test.of === 'names' ? [...test.names, ...test.suffixes.map((suffix) => `*${suffix}`)] : [],
    );
    return [
      {
        section,
        binds,
        isHttp: (own ?? mode) === 'http',
        rules,
        names: [...new Set([...names, ...mapped(section, lists)])],
        patterns: tests.some((test) => test.of === 'names' && test.isPattern),
      },
    ];
  });
  return { frontends, backends, lists };
}

/** Lines of a section with what they ask for, in their order. */
export function rulesOf({ lines }: Section, lists: ReadonlyMap<string, string>): Ruled[] {
  const acls: ReadonlyMap<string, readonly Test[]> = aclsOf(lines, lists);
  return lines.flatMap((line) =>
    line.words[0] === 'acl' ? [] : [{ line, condition: conditionOf(line.words, acls, lists) }],
  );
}

/** The file by which a `use_backend` finds a backend for a name, and its default. */
export function mapOf(word: string): { file: string; otherwise: string | null } | null {
  const [, file, otherwise] =
    /^%\[(?:req\.)?f?hdr\(host(?:,-?1)?\)(?:,(?:lower|host_only|field\(1,:\)|word\(1,:\)))*,map(?:_str)?\(([^,)]+)(?:,([^)]*))?\)\]$/.exec(
      word,
    ) ?? [];
  return file === undefined ? null : { file, otherwise: otherwise ?? null };
}

function mapped({ lines }: Section, lists: ReadonlyMap<string, string>): string[] {
  return lines.flatMap(({ words: [kind, word = ''] }) => {
    const map = kind === 'use_backend' ? mapOf(word) : null;
    return map === null ? [] : pairsOf(lists.get(map.file) ?? '').map(([name]) => name.toLowerCase());
  });
}

function bindsOf(words: readonly string[]): Bind[] {
  const secure = words.includes('ssl');
  const pairs = words.flatMap((word, index) => (words[index - 1] === 'crt' ? [word] : []));
  return (words[1] ?? '').split(',').flatMap((endpoint): Bind[] => {
    const [, host = '', port = ''] = /^(.*?):?(\d+)$/.exec(endpoint.replace(/^(ipv4|ipv6)@/, '')) ?? [];
    if (port === '') return [];
    const address = parseAddress(host.replace(/^\[|\]$/g, ''));
    return [{ port: Number(port), secure, address: isPublicLiteral(address) ? address : null, pairs }];
  });
}
