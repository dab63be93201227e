import type { Left, Origin, TakenGate } from '../../takeover/taken-over.ts';
import { forName, type Condition } from './conditions.ts';
import type { Ruled } from './serving.ts';
import type { Line } from './tree.ts';

export function originOf({ file, line }: Line): Origin {
  return { file, line };
}

/** Where a name is asked for, and what could not be said of it. */
export interface Asked {
  name: string;
  secure: boolean;
  left: Left[];
}

/** Whether a rule ends a request, or asks who it is. */
export function keepsOut({ line: { words } }: Ruled): boolean {
  const [kind, action = '', then = ''] = words;
  if (kind === 'http-request') return /^(deny|tarpit|reject|silent-drop|auth)$/.test(action);
  return kind === 'tcp-request' && /^(connection|content|session)$/.test(action) && /^(reject|silent-drop)$/.test(then);
}

/**
 * Who was let in to a name. A gate on a part alone is put on the whole road, and one that a map cannot say becomes `home`, so that nothing gets open that
 * was not.
 */
export function gateOf(rules: readonly Ruled[], asked: Asked): TakenGate | null {
  const gates = rules.filter(keepsOut).flatMap((one) => {
    const condition = forName(one.condition, asked.name, asked.secure);
    return condition === null ? [] : (gateIn(condition, one.line, asked) ?? []);
  });
  const [first, ...others] = gates;
  if (first === undefined) return null;
  const isSame = others.every((one) => one.wasOn === first.wasOn);
  const nets = gates.filter(({ networks }) => networks.length > 0);
  const isSayable = isSame && nets.length < 2 && gates.every(({ unsaid }) => !unsaid);
  return isSayable ? (nets[0] ?? first) : { ...first, networks: [], people: null, unsaid: true };
}

/** A rule that keeps out whoever meets the condition; null when everybody comes in as far as a map goes. */
function gateIn(condition: Condition, line: Line, { left }: Asked): TakenGate | null {
  const origin = originOf(line);
  const shown = line.words.join(' ');
  const gate: TakenGate = { networks: [], people: null, need: 'all', except: [], wasOn: null, unsaid: false };
  const unsaid = (why: string): TakenGate => {
    left.push({ origin, what: shown, why: `${why}; the road is now for home only` });
    return { ...gate, unsaid: true };
  };
  const [terms = [], ...others] = condition;
  const inside = terms.filter(({ isNegated }) => isNegated).map(({ test }) => test);
  const rest = terms.filter(({ isNegated }) => !isNegated).map(({ test }) => test);
  const people = inside.find((one) => one.of === 'people');
  if (people !== undefined)
    return unsaid(
      `lets in the people of the list ${people.list}, which stands in this file; put them into one of their own (NAME:HASH a line)`,
    );
  if (others.length > 0) return unsaid('lets in by several conditions');
  if (terms.length === 0) return { ...gate, networks: ['127.0.0.0/8'] };
  const prefixes = rest.flatMap((one) => (one.of === 'prefix' ? one.prefixes : []));
  if (inside.length === 0) {
    // A part that nobody may see is closed, but for files that no service has.
    const isPart = rest.every((one) => one.of === 'prefix') && prefixes.some((prefix) => !prefix.startsWith('/.'));
    if (isPart) return { ...gate, networks: ['127.0.0.0/8'], wasOn: prefixes[0] ?? null };
    left.push({ origin, what: shown, why: 'keeps some visitors out; a gate of a map lists who may come in' });
    return null;
  }
  const [only] = inside;
  if (inside.length > 1 || only?.of !== 'networks') return unsaid('lets in visitors that a map cannot describe');
  if (rest.some((one) => one.of !== 'prefix')) return unsaid('lets in by a condition');
  return { ...gate, networks: [...only.networks], wasOn: prefixes[0] ?? null };
}
