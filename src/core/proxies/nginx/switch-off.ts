import type { SwitchedOff, ToSwitchOff } from '../program.ts';
import { commentedOut } from '../switched-off.ts';
import { ownHeader } from './quote.ts';
import { directivesOf, type Directive } from './tree.ts';
import { portOf, wordsOf, type Word } from './words.ts';

/**
 * A file of nginx with those servers turned into comments that answer names of a map, or strangers on its ports. All else stays byte for byte.
 *
 * @returns why not, where a server answers something else, too, or does not stand on lines of its own
 */
export function switchOff(text: string, { covers, ports }: ToSwitchOff): SwitchedOff {
  if (text.startsWith(ownHeader)) return { why: 'Mile Marker wrote it, for another map' };
  const words = [...wordsOf(text)];
  const servers = serversIn(directivesOf(words)).filter((one) => isInTheWay(one, covers, ports));
  if (servers.length === 0) return { why: 'nothing in it is in the way of this map' };
  for (const server of servers) {
    const line = `its server on line ${String(server.line)}`;
    const others = namesOf(server).filter((name) => name !== '_' && name !== '' && !covers(name));
    if (others.length > 0) return { why: `${line} also answers ${others.join(', ')}, which the map does not have` };
    if (!isAlone(server, words)) return { why: `${line} does not stand on lines of its own` };
  }
  return { text: commentedOut(text, servers), servers: servers.length };
}

/** Whether nothing else stands on the lines of a server: their words are its own, from the first to the brace that closes it. */
function isAlone({ line, end }: Directive, words: readonly Word[]): boolean {
  const own = words.filter((word) => word.line >= line && word.line <= end);
  let open = 0;
  const closesAt = own.findIndex(({ text, quoted }) => {
    if (!quoted && text === '{') open += 1;
    if (!quoted && text === '}') open -= 1;
    return open === 0 && !quoted && text === '}';
  });
  return own[0]?.text === 'server' && closesAt === own.length - 1;
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
    .map((one) => one.toLowerCase());
}

function isInTheWay(server: Directive, covers: ToSwitchOff['covers'], ports: readonly number[]): boolean {
  const listens = (server.block ?? []).filter(({ name }) => name === 'listen');
  const here = listens.length === 0 ? ports.includes(80) : listens.some(({ args }) => ports.includes(portOf(args[0])));
  if (!here) return false;
  const isDefault = listens.some(({ args }) => args.includes('default_server') || args.includes('default'));
  return isDefault || namesOf(server).some(covers);
}
