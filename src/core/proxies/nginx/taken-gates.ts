import type { TakenGate } from '../../takeover/taken-over.ts';
import { originOf, type Context, type Server } from './taken-server.ts';
import type { Directive } from './tree.ts';

/** Directives by which nginx keeps somebody out. */
export const gateWords = [
  ...['allow', 'deny', 'auth_basic', 'auth_basic_user_file', 'satisfy', 'auth_request', 'ssl_verify_client'],
];

/** Blocks from the innermost one outwards: what an inner one says of a matter stands in place of what outer ones say of it. */
type Levels = ReadonlyArray<readonly Directive[]>;

/** What every road of a map does or has anyway: challenges, no dotfiles, less logging of small things. */
export function isNoLoss({ args }: Directive, prefix: string, block: readonly Directive[]): boolean {
  if (prefix.includes('acme-challenge')) return true;
  const only = (...names: string[]): boolean => block.every(({ name }) => names.includes(name));
  const hidesDotfiles = args[0]?.startsWith('~') === true && /\\\./.test(prefix);
  if (hidesDotfiles && only('deny', 'return', 'access_log', 'log_not_found')) return true;
  return (
    only('access_log', 'error_log', 'log_not_found', 'expires', 'try_files', 'add_header', 'auth_basic') &&
    !hasGate(block)
  );
}

export function hasGate(block: readonly Directive[]): boolean {
  return block.some(({ name, args }) => gateWords.includes(name) && args[0] !== 'off' && !isForAll({ name, args }));
}

function isForAll({ name, args }: Pick<Directive, 'name' | 'args'>): boolean {
  return name === 'allow' && args[0] === 'all';
}

/**
 * Who was let in to a server's names. A gate on a part alone is put on the whole road, and one that a map cannot say becomes `home`, so that
 * nothing gets open that was not.
 *
 * @param root what stands in its `location /`
 */
export function gateOf(root: readonly Directive[], server: Server, context: Context): TakenGate | null {
  const outer = [server.block, context.http];
  const whole = gateIn([root, ...outer], context);
  const left = (one: Directive, what: string, why: string): void =>
    void context.left.push({ origin: originOf(one), what, why });
  const onParts: TakenGate[] = [];
  const except: string[] = [];
  for (const one of server.block) {
    const prefix = one.args[one.args.length - 1] ?? '';
    const inner = one.block ?? [];
    if (one.name !== 'location' || one.args[0] === '/' || isNoLoss(one, prefix, inner)) continue;
    const gate = hasGate(inner) ? gateIn([inner, ...outer], context) : null;
    if (gate !== null) {
      if (whole !== null || onParts.length > 0)
        left(one, `the gate of ${prefix}`, 'a road has one gate, and this is not it');
      onParts.push({ ...gate, wasOn: prefix });
    } else if (whole !== null && isOpened(inner, whole)) {
      if (prefix.startsWith('/')) except.push(prefix);
      else left(one, `location ${one.args.join(' ')}`, 'was open to everybody; a gate can except prefixes only');
    } else if (
      whole !== null &&
      inner.some((word) => isForAll(word) || (word.name === 'auth_basic' && word.args[0] === 'off'))
    )
      left(one, `location ${one.args.join(' ')}`, 'was less strict than the rest; a road has one gate');
  }
  return whole === null ? (onParts[0] ?? null) : { ...whole, except };
}

/** Whether a location without a gate of its own takes away all that its road asks for. */
function isOpened(inner: readonly Directive[], { networks, people, unsaid }: TakenGate): boolean {
  const noNetworks = networks.length === 0 || inner.some(isForAll);
  const noPeople = people === null || inner.some(({ name, args }) => name === 'auth_basic' && args[0] === 'off');
  return !unsaid && noNetworks && noPeople && (inner.some(isForAll) || people !== null);
}

function gateIn(levels: Levels, { left }: Context): TakenGate | null {
  const of = (...names: string[]): Directive[] =>
    levels.map((level) => level.filter(({ name }) => names.includes(name))).find((found) => found.length > 0) ?? [];
  const unsaid = [...of('auth_request'), ...of('ssl_verify_client')].filter(({ args }) => args[0] !== 'off');
  for (const one of unsaid)
    left.push({
      origin: originOf(one),
      what: one.name,
      why: 'lets in visitors that a map cannot describe; the road is now for home only',
    });
  const access = of('allow', 'deny');
  const closed = access.some(({ name, args }) => name === 'deny' && args[0] === 'all');
  const networks = access.flatMap((one) => (one.name === 'allow' && !isForAll(one) ? (one.args[0] ?? []) : []));
  for (const one of access)
    if (one.name === 'deny' && one.args[0] !== 'all')
      left.push({
        origin: originOf(one),
        what: `deny ${one.args[0] ?? ''}`,
        why: 'keeps one network out; a gate of a map lists who may come in',
      });
  const [auth] = of('auth_basic');
  const people = auth === undefined || auth.args[0] === 'off' ? null : (of('auth_basic_user_file')[0]?.args[0] ?? null);
  // Closed to all: nobody but this machine.
  const kept = !closed ? [] : networks.length === 0 && people === null ? ['127.0.0.0/8'] : networks;
  if (kept.length === 0 && people === null && unsaid.length === 0) return null;
  const need = of('satisfy')[0]?.args[0] === 'any' ? 'any' : 'all';
  return { networks: kept, people, need, except: [], wasOn: null, unsaid: unsaid.length > 0 };
}
