import { parseAddress } from '../../networks/address.ts';
import type { ServerBlock } from '../server-block.ts';
import { ofOthers, whose, type OwnFiles } from '../whose.ts';
import { ownHeader } from './quote.ts';

/** Options of the program that have it say what it reads and serves, beside a test of all that (httpd(8), `-D`). */
export const dumpOptions = ['DUMP_VHOSTS', 'DUMP_INCLUDES', 'DUMP_RUN_CFG', 'DUMP_MODULES'].flatMap((one) => [
  '-D',
  one,
]);

/** Stands before the text of each file that it reads, behind its own words. */
export function fileLine(path: string): string {
  return `# configuration file ${path}:`;
}

/** The files that httpd really reads, the main one first. */
export function filesRead(text: string): string[] {
  return [...text.matchAll(/^ +\((?:\*|\d+)\) (\/.+)$/gm)].map(([, file = '']) => file);
}

/** Names of the modules that it is run with, without `_module`. */
export function modulesIn(text: string): string[] {
  return [...text.matchAll(/^ (\w+)_module \((?:static|shared)\)$/gm)].map(([, name = '']) => name);
}

/** The file with the number of the main process; null when it does not say. */
export function pidFileIn(text: string): string | null {
  return /^PidFile: "(.+)"$/m.exec(text)?.[1] ?? null;
}

/** The folder by which it reads paths that do not begin with a slash. */
export function rootIn(text: string): string {
  return /^ServerRoot: "(.+)"$/m.exec(text)?.[1] ?? '/etc/apache2';
}

/** Folders of which its main file reads every `.conf`, those first that are meant for all servers. */
export function includeFolders(main: string, root: string): string[] {
  const said = [...main.matchAll(/^\s*Include(?:Optional)?\s+"?([^"\n]+?)\/\*\.conf"?\s*$/gim)].map(
    ([, folder = '']) => folder,
  );
  const folders = said.map((folder) => (folder.startsWith('/') ? folder : `${root}/${folder}`));
  const isForModules = (folder: string): boolean => /mods-enabled|conf\.modules\.d/.test(folder);
  const isForAll = (folder: string): boolean => /\/conf/.test(folder.slice(folder.lastIndexOf('/')));
  return folders.filter((one) => !isForModules(one)).sort((a, b) => Number(isForAll(b)) - Number(isForAll(a)));
}

/** The texts of the files, by path. */
export function textsIn(text: string): Map<string, string> {
  const parts = text.split(/^# configuration file (\/.+):$/m).slice(1);
  return new Map(parts.flatMap((part, index) => (index % 2 === 0 ? [[part, parts[index + 1] ?? ''] as const] : [])));
}

/** Ports that it listens on by the files it reads. */
export function portsListened(text: string): number[] {
  const said = [...text.matchAll(/^\s*Listen\s+"?(?:\S*:)?(\d+)"?(?:\s|$)/gim)].map(([, port]) => Number(port));
  return [...new Set(said)];
}

/**
 * Reads its list of servers, of each the address, names, file and line; those of files that Mile Marker wrote for this map are passed over.
 *
 * @param own the files that are passed over; null passes over those of every map
 */
export function readDump(text: string, own: OwnFiles | null): ServerBlock[] {
  const blocks: ServerBlock[] = [];
  const maps = mapsOfFiles(text);
  const places = new Map<ServerBlock, string>();
  let [port, place] = [0, ''];
  let current: ServerBlock | null = null;
  const begin = (name: string, at: string, isDefault: boolean): void => {
    const [, file = '', line = '0'] = /^(.*):(\d+)$/.exec(at) ?? [];
    current = {
      file,
      line: Number(line),
      // One that has no name goes by the address of the machine.
      names: parseAddress(name) === null ? [name.toLowerCase()] : [],
      listens: [port],
      defaultOn: isDefault ? [port] : [],
      ofAnotherMap: false,
    };
    blocks.push(current);
    places.set(current, place);
  };
  let isFirst = false;
  for (const line of listOfServers(text)) {
    const [, number, rest = ''] = /^\S*:(\d+|\*)\s+(.*)$/.exec(line) ?? [];
    if (number !== undefined) {
      port = number === '*' ? 0 : Number(number);
      isFirst = rest === 'is a NameVirtualHost';
      place = line.split(/\s/)[0] ?? '';
      const [, name = '', where = ''] = /^(\S+) \((.+)\)$/.exec(rest) ?? [];
      if (!isFirst) begin(name, where, true);
      continue;
    }
    const [, name, where = ''] = /^ +port \S+ namevhost (\S+) \((.+)\)$/.exec(line) ?? [];
    const alias = /^ +(?:wild )?alias (\S+)$/.exec(line)?.[1];
    if (name !== undefined) {
      begin(name, where, isFirst);
      isFirst = false;
    } else if (alias !== undefined) (current as ServerBlock | null)?.names.push(alias.toLowerCase());
  }
  const ours = new Set(
    blocks.flatMap((block) =>
      own?.holds(block.file) === true && maps.has(block.file) ? (places.get(block) ?? []) : [],
    ),
  );
  return blocks.flatMap((block) => {
    const map = maps.get(block.file);
    // The first at an address is its default; ours is read before those of sites, and only where it is not that says something.
    if (map === undefined) return [ours.has(places.get(block) ?? '') ? block : { ...block, defaultOn: [] }];
    return ofOthers(block, whose(map, block.file, own));
  });
}

function listOfServers(text: string): string[] {
  const [, rest = ''] = text.split(/^VirtualHost configuration:$/m);
  const lines = rest.split('\n').slice(1);
  const end = lines.findIndex((line) => /^[A-Z]\w* ?\w*:/.test(line));
  return end < 0 ? lines : lines.slice(0, end);
}

/** Files that Mile Marker wrote, with the id of their map. */
function mapsOfFiles(text: string): Map<string, string> {
  return new Map(
    [...textsIn(text)].flatMap(([path, content]) => {
      const first = content.replace(/^\n/, '').split('\n')[0] ?? '';
      return first.startsWith(ownHeader) ? [[path, /\(map (\w+)\)/.exec(first)?.[1] ?? ''] as const] : [];
    }),
  );
}
