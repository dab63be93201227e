import type { SwitchedOff, ToSwitchOff } from '../program.ts';
import { commentedOut } from '../switched-off.ts';
import { ownHeader } from './quote.ts';
import { readConfiguration } from './serving.ts';
import { listsIn, type Section } from './tree.ts';

/**
 * A file of haproxy with those frontends turned into comments that listen on the ports of a map: two that do get visitors by turns, whatever name these ask
 * for. Backends stay, which serve nothing by themselves.
 *
 * @returns why not, where a frontend answers something else, too, or does not show what it answers
 */
export function switchOff(text: string, { covers, ports }: ToSwitchOff): SwitchedOff {
  if (text.startsWith(ownHeader)) return { why: 'Mile Marker wrote it, for another map' };
  const files = [{ path: '', text }];
  const { frontends } = readConfiguration({ files, lists: new Map() });
  const inTheWay = frontends.filter(({ binds }) => binds.some(({ port }) => ports.includes(port)));
  if (inTheWay.length === 0) return { why: 'nothing in it is in the way of this map' };
  for (const { section, isHttp, names, patterns, binds } of inTheWay) {
    const shown = `its ${section.kind} on line ${String(section.head.line)}`;
    const others = names.filter((name) => !covers(name));
    const besides = binds.map(({ port }) => port).filter((port) => !ports.includes(port));
    if (!isHttp) return { why: `${shown} passes bytes on, so that nobody knows for which names` };
    if (others.length > 0) return { why: `${shown} also answers ${others.join(', ')}, which the map does not have` };
    if (besides.length > 0) return { why: `${shown} also listens on ${besides.map(String).join(', ')}` };
    if (patterns) return { why: `${shown} answers a pattern of names` };
    if (readsNames(section)) return { why: `${shown} reads its names from another file` };
  }
  return {
    text: commentedOut(
      text,
      inTheWay.map(({ section }) => linesOf(section)),
    ),
    servers: inTheWay.length,
  };
}

/** To its last line that says something; what stands behind that may belong to what comes next. */
function linesOf({ head, lines }: Section): { line: number; end: number } {
  return { line: head.line, end: lines.at(-1)?.line ?? head.line };
}

function readsNames({ lines }: Section): boolean {
  return listsIn(lines.map(({ words }) => words.join(' ')).join('\n')).length > 0;
}
