import type { ServerBlock } from '../server-block.ts';
import { ofOthers, whose, type OwnFiles } from '../whose.ts';
import { parseAddress } from '../../networks/address.ts';
import { ownHeader } from './quote.ts';
import { portOf, wordsOf, type Word } from './words.ts';

/**
 * Reads what `nginx -T` prints: every file that nginx really reads, each under a line `# configuration file PATH:`.
 * Words, quotes, comments and braces as nginx's own reader takes them; directives that are not asked for are passed over,
 * and so are the files that Mile Marker wrote for this map.
 *
 * @param own the files that are passed over; null passes over those of every map
 */
export function readDump(text: string, own: OwnFiles | null): ServerBlock[] {
  const blocks: ServerBlock[] = [];
  const open: Array<ServerBlock | null> = [];
  let directive: Word[] = [];
  for (const word of wordsOf(text)) {
    if (word.text === '{') {
      const [name] = directive;
      const block = name?.text === 'server' && directive.length === 1 ? blockAt(name) : null;
      if (block !== null) blocks.push(block);
      open.push(block);
      directive = [];
    } else if (word.text === '}') {
      open.pop();
      directive = [];
    } else if (word.text === ';') {
      take(open[open.length - 1] ?? null, directive);
      directive = [];
    } else directive.push(word);
  }
  for (const block of blocks) if (block.listens.length === 0) block.listens.push(80);
  const maps = mapsOfFiles(text);
  return blocks.flatMap((block) => {
    const map = maps.get(block.file);
    if (map === undefined) return [block];
    return ofOthers(block, whose(map, block.file, own));
  });
}

/** The files that nginx really reads, the main one first. */
export function filesRead(text: string): string[] {
  return [...text.matchAll(/^# configuration file (.+):$/gm)].map(([, file = '']) => file);
}

/** The file with the number of the main process, as `pid` in the main part says; null when it stands nowhere. */
export function pidFileIn(text: string): string | null {
  return mainDirective(text, 'pid');
}

/** The log of the main process, as `error_log` in the main part says; null when it stands nowhere, or is no file. */
export function errorLogIn(text: string): string | null {
  const path = mainDirective(text, 'error_log');
  return path?.startsWith('/') === true ? path : null;
}

/** An address and port on which nginx listens; `address` null for all of the family. */
interface Listen {
  family: 4 | 6;
  address: string | null;
  port: number;
}

/** Every `listen` of a dump, wherever it stands. */
export function listensIn(text: string): Listen[] {
  const found: Listen[] = [];
  let directive: string[] = [];
  for (const { text: word } of wordsOf(text)) {
    if (word !== ';' && word !== '{' && word !== '}') {
      directive.push(word);
      continue;
    }
    const [name, endpoint = ''] = directive;
    directive = [];
    if (name !== 'listen' || endpoint.startsWith('unix:')) continue;
    // A port alone, or an address with or without one.
    const written = endpoint.replace(/^\d+$|:\d+$/, '').replace(/^\[(.*)\]$/, '$1');
    const address = ['', '*', '0.0.0.0', '::'].includes(written) ? null : parseAddress(written);
    found.push({ family: endpoint.startsWith('[') ? 6 : 4, address, port: portOf(endpoint) });
  }
  return found;
}

function mainDirective(text: string, wanted: string): string | null {
  let depth = 0;
  let directive: string[] = [];
  for (const { text: word } of wordsOf(text)) {
    if (word === '{') depth += 1;
    else if (word === '}') depth -= 1;
    else if (word !== ';') {
      directive.push(word);
      continue;
    } else if (depth === 0 && directive[0] === wanted) return directive[1] ?? null;
    directive = [];
  }
  return null;
}

/** Folders of which nginx reads every `.conf` file inside `http { }`, or outside any braces, as they are written there. */
export function foldersRead(text: string, inside: 'http' | 'top' = 'http'): string[] {
  return includesIn(text).flatMap(({ pattern, within }) => {
    const folder = /^(.*)\/\*(?:\.conf)?$/.exec(pattern)?.[1];
    return folder !== undefined && within === (inside === 'top' ? '' : inside) ? [folder] : [];
  });
}

/** Whether it has a `stream { }`, and reads raw ports of ours by one of these patterns, at the top or inside that. */
export function streamIn(text: string, patterns: { top: string; stream: string }): { has: boolean; reads: boolean } {
  const includes = includesIn(text);
  return {
    has: includes.some(({ within, isBlock }) => isBlock && within === 'stream'),
    reads: includes.some(
      ({ pattern, within }) =>
        (within === '' && pattern === patterns.top) || (within === 'stream' && pattern === patterns.stream),
    ),
  };
}

interface Included {
  pattern: string;
  /** Names of the blocks round it. */
  within: string;
  /** Not an `include`: a block begins here. */
  isBlock: boolean;
}

function includesIn(text: string): Included[] {
  const open: string[] = [];
  let directive: string[] = [];
  const found: Included[] = [];
  for (const { text: word } of wordsOf(text)) {
    if (word === '{') {
      open.push(directive[0] ?? '');
      found.push({ pattern: '', within: open.join(' '), isBlock: true });
    } else if (word === '}') open.pop();
    else if (word !== ';') {
      directive.push(word);
      continue;
    } else if (directive[0] === 'include')
      found.push({ pattern: directive[1] ?? '', within: open.join(' '), isBlock: false });
    directive = [];
  }
  return found;
}

/** The map whose file each of ours is, by its first line; empty when that does not say. */
function mapsOfFiles(text: string): Map<string, string> {
  const headers = text.matchAll(
    new RegExp(`^# configuration file (.+):\\n${ownHeader}(?: \\(map ([0-9a-f]+)\\))?`, 'gm'),
  );
  return new Map([...headers].map(([, file = '', map = '']) => [file, map]));
}

function blockAt({ file, line }: Word): ServerBlock {
  return { file, line, names: [], listens: [], defaultOn: [], ofAnotherMap: false };
}

function take(block: ServerBlock | null, [name, ...rest]: readonly Word[]): void {
  if (block === null || name === undefined) return;
  if (name.text === 'server_name') block.names.push(...rest.map(({ text }) => text.toLowerCase()));
  if (name.text !== 'listen') return;
  const [endpoint, ...flags] = rest.map(({ text }) => text);
  // A socket file takes no part in this.
  if (endpoint === undefined || endpoint.startsWith('unix:')) return;
  const port = portOf(endpoint);
  block.listens.push(port);
  if (flags.includes('default_server') || flags.includes('default')) block.defaultOn.push(port);
}
