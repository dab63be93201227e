import { spawnSync } from 'node:child_process';
import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { makeThrowaway } from '../../src/adapters/certificates/make.ts';
import { readMap } from '../../src/core/map/read-map.ts';
import { mapSchema } from '../../src/core/map/schema/map.ts';
import { makePlan } from '../../src/core/plan/make-plan.ts';
import type { Plan } from '../../src/core/plan/plan.ts';
import { haproxyRenderer, standalone as haproxyAlone } from '../../src/core/proxies/haproxy/renderer.ts';
import { httpdRenderer, standalone as httpdAlone } from '../../src/core/proxies/httpd/renderer.ts';
import { nginxRenderer, standalone as nginxAlone } from '../../src/core/proxies/nginx/renderer.ts';
import type { Renderer } from '../../src/core/proxies/renderer.ts';
import { haproxyProgram, httpdProgram, inCrowds, nginxProgram, nginxVersion } from './fronts.ts';
import { inventoryOf, someHost } from './plan.ts';
import { freePorts } from './ports.ts';
import { folderWith } from './program.ts';

/** Values that try to become words of a server: how they come into a map, and what the servers say. */

/** The value at the end of a path; `NAME` is the first key that stands there. */
export function placed(value: unknown, [step, ...rest]: readonly string[], to: unknown): unknown {
  if (step === undefined) return to;
  const parent = (typeof value === 'object' && value !== null ? value : {}) as Record<string, unknown>;
  const key = step === 'NAME' ? (Object.keys(parent)[0] ?? 'any') : step;
  return { ...parent, [key]: placed(parent[key], rest, to) };
}

/** The same value under a key of its own choice, for keys that people name. */
export function renamed(value: unknown, [step, ...rest]: readonly string[], name: string): unknown {
  const parent = (typeof value === 'object' && value !== null ? value : {}) as Record<string, unknown>;
  if (step === 'NAME')
    return { ...Object.fromEntries(Object.entries(parent).slice(1)), [name]: Object.values(parent)[0] };
  return step === undefined ? value : { ...parent, [step]: renamed(parent[step], rest, name) };
}

/** What shows that a value is still there: its word, or a letter of another script in it. */
const value = /evil_|\u0456/;

/** Null when the map is refused, or when the value is nowhere in its plan. */
export function planOf(map: unknown): Plan | null {
  // Most are refused here already, which is sooner known than by reading a whole text.
  if (!mapSchema.safeParse(map).success) return null;
  const read = readMap({ file: 'm', text: JSON.stringify(map) });
  if (read.map === null) return null;
  const { plan } = makePlan({
    map: read.map,
    inventory: inventoryOf([]),
    host: someHost,
    certificatesFolder: '/c',
    challengesFolder: '/h',
    mapFolder: '/m',
  });
  return value.test(JSON.stringify(plan)) ? plan : null;
}

export interface Server {
  name: string;
  renderer: Renderer;
  /** What it would read as its own words: everything outside quotes and comments. */
  words: (text: string) => string;
  /** Its own test of written files. */
  test: (folder: string, current: string) => { status: number | null; stderr: string };
}

const run = (program: string, argv: string[]): ReturnType<Server['test']> =>
  spawnSync(program, argv, { encoding: 'utf8' });

/**
 * What mod_rewrite would read of a line as more than a value: what follows the two words, and what is looked up in them. A word ends at its closing quote, or
 * without quotes at a blank; a backslash takes a blank with it, and the meaning from `%` and `$`. Null for other lines.
 */
function rewriteWords(line: string): string | null {
  // Blanks are those of ASCII.
  const word = String.raw`(?:"(?:\\[ \t]|[^"])*"|'(?:\\[ \t]|[^'])*'|(?!["'])(?:\\[ \t]|[^ \t])+)`;
  const [, first = '', second = '', rest = ''] =
    new RegExp(String.raw`^[ \t]*Rewrite(?:Cond|Rule)[ \t]+(${word})[ \t]+(${word})([^]*)$`).exec(line) ?? [];
  if (first === '') return null;
  const lookedUp = `${first} ${second}`.replace(/\\[^]/g, '').match(/[%$]\{[^}]*\}?/g) ?? [];
  return [...lookedUp, rest].join(' ');
}

export const servers: readonly Server[] = [
  {
    name: 'nginx',
    renderer: nginxRenderer,
    // A quote within a word is a letter like any other.
    words: (text) => text.replace(/(?<=^|[ \t\r\n;{}(])"(?:\\[^]|[^"\\])*"|(?<=^|[ \t\r\n;{}])#[^\n]*/g, '""'),
    test: (folder, current) => {
      writeFileSync(join(folder, 'nginx.conf'), nginxAlone({ current, runFolder: folder }));
      return run(nginxProgram(), ['-t', '-q', '-c', join(folder, 'nginx.conf'), '-e', 'stderr']);
    },
  },
  {
    name: 'httpd',
    renderer: httpdRenderer,
    words: (text) =>
      text
        .split('\n')
        .map((line) => rewriteWords(line) ?? line.replace(/^\s*#[^\n]*|(?<=^|[ \t])"(?:\\[^]|[^"\\])*"/g, '""'))
        .join('\n'),
    test: (folder, current) => {
      const modules = '/usr/lib/apache2/modules';
      writeFileSync(
        join(folder, 'httpd.conf'),
        httpdAlone({ current, runFolder: folder, modules, user: process.getuid?.() === 0 ? 'www-data' : null }),
      );
      const { status, stderr } = run(httpdProgram(), ['-t', '-f', join(folder, 'httpd.conf')]);
      return { status, stderr: stderr.replace('Syntax OK\n', '') };
    },
  },
  {
    name: 'haproxy',
    renderer: haproxyRenderer,
    words: (text) => text.replace(/'[^']*'|"(?:\\[^]|[^"\\])*"|\\[^]|#[^\n]*/g, '""'),
    test: (folder, current) => {
      writeFileSync(join(folder, 'haproxy.cfg'), haproxyAlone({ runFolder: folder, user: null }));
      return run(haproxyProgram(), ['-c', '-q', '-f', join(folder, 'haproxy.cfg'), '-f', current]);
    },
  },
];

/** A large map's files, in which a value may stand in a table. */
const crowded = servers.flatMap((one) =>
  one.name === 'nginx' || one.name === 'haproxy'
    ? [{ ...one, name: `${one.name} in crowds`, renderer: { ...one.renderer, render: inCrowds[one.name] } }]
    : [],
);
export const layouts: readonly Server[] = [...servers, ...crowded];

/** A line in which a value stands as the server's own words; null when there is none. */
export function strayIn({ renderer, words }: Server, plan: Plan): string | null {
  const files = renderer.render(plan, { current: '/f', people: () => [] });
  return files.flatMap(({ content }) => /.*(?:evil_|\u0456).*/.exec(words(content))?.[0] ?? [])[0] ?? null;
}

/** Where written files lie for a server to test, with a pair of its own for every certificate. */
export interface Ground {
  folder: string;
  listen: Plan['front']['listen'];
  mark: number;
}

export async function ground(): Promise<Ground> {
  const folder = folderWith();
  const pair = await makeThrowaway(new Date());
  writeFileSync(join(folder, 'c.pem'), pair.certificate);
  writeFileSync(join(folder, 'c.pem.key'), pair.key);
  const [http = 0, https = 0, mark = 0] = await freePorts(3);
  return { folder, listen: { addresses: ['127.0.0.1'], http, https }, mark };
}

/** What a real server says of a plan: that it takes it, without a word. */
export function saidOf({ renderer, test: accepts }: Server, plan: Plan, { folder, listen, mark }: Ground): unknown {
  const current = join(folder, 'front');
  rmSync(current, { recursive: true, force: true });
  const certificates = plan.certificates.map((one) => ({
    ...one,
    certificateFile: join(folder, 'c.pem'),
    keyFile: join(folder, 'c.pem.key'),
  }));
  const here: Plan = {
    ...plan,
    roads: plan.roads.map((road) => withoutFiles(road)),
    certificates,
    front: { ...plan.front, listen, container: null, mark: { address: '127.0.0.1', port: mark } },
  };
  for (const { path, content } of [
    ...renderer.render(here, { current, version: nginxVersion(), people: () => [] }),
    renderer.renderMark(here, 'm'),
  ]) {
    mkdirSync(dirname(join(current, path)), { recursive: true });
    writeFileSync(join(current, path), content);
  }
  const { status, stderr } = accepts(folder, current);
  return { status, stderr };
}

/** Files that must be there for nginx to start are what `check` and `write` see to; here only the words count. */
function withoutFiles(given: Plan['roads'][number]): Plan['roads'][number] {
  const parts = given.parts.map((part) => {
    const { leads } = part;
    if (leads.kind !== 'service' || leads.upstream?.trust.kind !== 'ca') return part;
    const upstream = { ...leads.upstream, trust: { kind: 'none' as const } };
    return { ...part, leads: { kind: 'service' as const, upstream } };
  });
  return { ...given, rules: { ...given.rules, log: null }, parts };
}
