import { directivesOf, type Directive } from './tree.ts';
import { wordsOf } from './words.ts';
import type { SwitchedOff, ToSwitchOff } from '../program.ts';

/** First words of the line above what is switched off. */
const mark = '# Switched off by `mile-marker install --replace`; `mile-marker undo front` brings it back.';

/**
 * A file of nginx with those servers turned into comments that answer names of a map, or strangers on its ports. All else stays byte for byte.
 *
 * @returns why not, where a server answers something else, too, or does not stand on lines of its own
 */
export function switchOff(text: string, { covers, ports }: ToSwitchOff): SwitchedOff {
  const words = [...wordsOf(text)];
  const servers = serversIn(directivesOf(words)).filter((one) => isInTheWay(one, covers, ports));
  if (servers.length === 0) return { why: 'nothing in it is in the way of this map' };
  const lines = text.split('\n');
  for (const server of servers) {
    const others = namesOf(server).filter((name) => name !== '_' && name !== '' && !covers(name));
    if (others.length > 0)
      return {
        why: `its server on line ${String(server.line)} also answers ${others.join(', ')}, which the map does not have`,
      };
    // Whatever shares a line with it would be switched off along with it.
    const shares = words.filter(({ line }) => line === server.line || line === server.end).length;
    const own = words.filter(({ line }) => line >= server.line && line <= server.end);
    const [first] = own;
    const braces = own.reduce(
      (open, { text: word, quoted }) => open + (quoted ? 0 : word === '{' ? 1 : word === '}' ? -1 : 0),
      0,
    );
    if (first?.text !== 'server' || braces !== 0 || (own[own.length - 1]?.text !== '}' && shares > 0))
      return { why: `its server on line ${String(server.line)} does not stand on lines of its own` };
  }
  const off = new Set(servers.flatMap(({ line, end }) => Array.from({ length: end - line + 1 }, (_, at) => line + at)));
  const starts = new Set(servers.map(({ line }) => line));
  const written = lines.flatMap((line, index) => {
    if (!off.has(index + 1)) return [line];
    return [...(starts.has(index + 1) ? [mark] : []), `# ${line}`];
  });
  return { text: written.join('\n'), servers: servers.length };
}

function serversIn(directives: readonly Directive[]): Directive[] {
  return directives.flatMap((one) => {
    if (one.name === 'server' && one.block !== null && one.args.length === 0) return [one];
    return one.name === 'http' ? serversIn(one.block ?? []) : [];
  });
}

function namesOf({ block }: Directive): string[] {
  return (block ?? [])
    .flatMap(({ name, args }) => (name === 'server_name' ? args : []))
    .map((name) => name.toLowerCase());
}

function isInTheWay(server: Directive, covers: ToSwitchOff['covers'], ports: readonly number[]): boolean {
  const listens = (server.block ?? []).filter(({ name }) => name === 'listen');
  const portOf = (endpoint: string): number =>
    Number(/^\d+$/.test(endpoint) ? endpoint : (/:(\d+)$/.exec(endpoint)?.[1] ?? 80));
  const here =
    listens.length === 0 ? ports.includes(80) : listens.some(({ args }) => ports.includes(portOf(args[0] ?? '')));
  if (!here) return false;
  const isDefault = listens.some(({ args }) => args.includes('default_server') || args.includes('default'));
  return isDefault || namesOf(server).some(covers);
}

/** Whether a file is one that `switchOff` made. */
export function isSwitchedOff(text: string): boolean {
  return text.includes(mark);
}
