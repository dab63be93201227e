import { parseNetwork } from '../../networks/address.ts';
import type { Left, TakenGate } from '../../takeover/taken-over.ts';
import type { Directive } from './tree.ts';
import { originOf } from './taken-server.ts';

/** Directives by which httpd keeps somebody out (mod_authz_core, mod_access_compat). */
export const gateWords = [
  ...['require', 'requireall', 'requireany', 'requirenone', 'authtype', 'authname', 'authuserfile', 'authgroupfile'],
  ...['authbasicprovider', 'authmerging', 'order', 'allow', 'deny', 'satisfy', 'sslverifyclient'],
];

/** Who a section lets in. `unsaid`: somebody that a map cannot name. */
type Admits = 'everyone' | 'nobody' | 'unsaid' | Pick<TakenGate, 'networks' | 'people' | 'need'>;

/** Who was let in by the sections that hold for a part, the innermost first; null for everybody. */
export function gateIn(levels: ReadonlyArray<readonly Directive[]>, root: string, left: Left[]): TakenGate | null {
  // Each kind of words is inherited by itself.
  const isOlder = ({ name }: Directive): boolean => ['order', 'allow', 'deny'].includes(name);
  const isRequire = ({ name }: Directive): boolean => name.startsWith('require');
  const older = levels.find((one) => one.some(isOlder)) ?? [];
  const newer = levels.find((one) => one.some(isRequire)) ?? [];
  const told = (name: string): Directive | undefined =>
    levels.map((one) => one.find((word) => word.name === name)).find((one) => one !== undefined);
  const verify = told('sslverifyclient');
  const merging = told('authmerging');
  // Who comes in by method or condition, and who by several sections at once.
  const nested = levels
    .flat()
    .find(({ name, block }) => /^(limit|limitexcept|if|elseif|else)$/.test(name) && saysWho(block ?? []));
  const file = told('authuserfile')?.args[0];
  const people = file === undefined ? null : file.startsWith('/') ? file : `${root}/${file}`;
  const isPlain =
    /^(basic)?$/i.test(told('authtype')?.args[0] ?? '') &&
    /^(file)?$/i.test(told('authbasicprovider')?.args.join(' ') ?? '');
  const reader = new Reader(isPlain ? people : null, left);
  const compat = reader.ofOrder(older.filter(isOlder));
  const required = reader.either(newer.filter(isRequire));
  const isAny = /^any$/i.test(told('satisfy')?.args[0] ?? '');
  const parts = [compat, required].flatMap((one) => (one === null ? [] : [one]));
  const all = isAny ? anyOf(parts) : allOf(parts);
  if (nested !== undefined) reader.unsaid(nested, `<${nested.name} ${nested.args.join(' ')}>`);
  if (merging !== undefined && !/^off$/i.test(merging.args[0] ?? '')) reader.unsaid(merging, 'AuthMerging');
  if (verify !== undefined && !/^none$/i.test(verify.args[0] ?? '')) reader.unsaid(verify, 'SSLVerifyClient');
  if (reader.isUnsaid || all === 'unsaid')
    return { networks: [], people: null, need: 'all', except: [], wasOn: null, unsaid: true };
  if (all === 'everyone') return null;
  // Closed to all: nobody but this machine.
  const {
    networks,
    people: who,
    need,
  } = all === 'nobody' ? { networks: ['127.0.0.0/8'], people: null, need: 'all' as const } : all;
  return { networks, people: who, need, except: [], wasOn: null, unsaid: false };
}

/** Whether a section says who comes in, be it everybody. */
export function saysWho(level: readonly Directive[]): boolean {
  return level.some(({ name }) => name.startsWith('require') || ['order', 'allow', 'deny'].includes(name));
}

class Reader {
  isUnsaid = false;

  constructor(
    private readonly people: string | null,
    private readonly left: Left[],
  ) {}

  unsaid(one: Directive, what: string): 'unsaid' {
    this.isUnsaid = true;
    this.left.push({
      origin: originOf(one),
      what,
      why: 'lets in visitors that a map cannot describe; the road is now for home only',
    });
    return 'unsaid';
  }

  /** Lines and containers of which one is enough; null without any. */
  either(requires: readonly Directive[]): Admits | null {
    return requires.length === 0 ? null : anyOf(this.each(requires));
  }

  private each(requires: readonly Directive[]): Admits[] {
    return requires.flatMap((one) => this.of(one) ?? []);
  }

  private of(one: Directive): Admits | null {
    const inner = (one.block ?? []).filter(({ name }) => name.startsWith('require'));
    if (one.name === 'requireall') return allOf(this.each(inner));
    if (one.name === 'requireany') return anyOf(this.each(inner));
    if (one.name === 'requirenone') return this.keptOut(one, 'RequireNone');
    const [kind = '', ...words] = one.args;
    const shown = `Require ${one.args.join(' ')}`;
    switch (kind.toLowerCase()) {
      case 'all':
        return /^granted$/i.test(words[0] ?? '') ? 'everyone' : 'nobody';
      case 'local':
        return { networks: ['127.0.0.0/8', '::1/128'], people: null, need: 'all' };
      case 'ip': {
        const networks = words.map(networkOf);
        return networks.includes(null)
          ? this.unsaid(one, shown)
          : { networks: networks.flatMap((net) => net ?? []), people: null, need: 'all' };
      }
      case 'valid-user':
        return this.people === null ? this.unsaid(one, shown) : { networks: [], people: this.people, need: 'all' };
      case 'not':
        return this.keptOut(one, shown);
      default:
        return this.unsaid(one, shown);
    }
  }

  /** Counts for nothing in what it stands in. */
  private keptOut(one: Directive, what: string): null {
    this.left.push({
      origin: originOf(one),
      what,
      why: 'keeps some visitors out; a gate of a map lists who may come in',
    });
    return null;
  }

  /** The older words: `Order`, `Allow from`, `Deny from`; null without any. */
  ofOrder(lines: readonly Directive[]): Admits | null {
    if (lines.length === 0) return null;
    const from = (name: string): Array<[Directive, string]> =>
      lines.flatMap((one) =>
        one.name === name ? one.args.slice(1).map((word): [Directive, string] => [one, word]) : [],
      );
    const [allowed, denied] = [from('allow'), from('deny')];
    const isAll = ([, word]: [Directive, string]): boolean => /^all$/i.test(word);
    const allowsFirst = lines.some(({ name, args }) => name === 'order' && /^allow,\s*deny$/i.test(args.join('')));
    if (allowsFirst && denied.some(isAll)) return 'nobody';
    for (const [one, word] of denied.filter((pair) => !isAll(pair))) this.keptOut(one, `Deny from ${word}`);
    if (allowed.some(isAll) || (!allowsFirst && !denied.some(isAll))) return 'everyone';
    const networks = allowed.map(([one, word]) => networkOf(word) ?? this.unsaid(one, `Allow from ${word}`));
    return networks.length === 0 ? 'nobody' : { networks, people: null, need: 'all' };
  }
}

/** A network as httpd takes it: an address, `10.1`, with bits, or with a mask. */
function networkOf(word: string): string | null {
  const octets = word.replace(/\.$/, '').split('.');
  if (/^[\d.]+$/.test(word) && octets.length < 4)
    return parseNetwork(`${[...octets, '0', '0', '0'].slice(0, 4).join('.')}/${String(octets.length * 8)}`);
  const [address = '', mask] = word.split('/');
  if (mask?.includes('.') !== true) return parseNetwork(word);
  const bits = mask
    .split('.')
    .map((part) => Number(part).toString(2).padStart(8, '0'))
    .join('');
  return /^1*0*$/.test(bits) ? parseNetwork(`${address}/${String(bits.replace(/0/g, '').length)}`) : null;
}

function anyOf(parts: readonly Admits[]): Admits {
  if (parts.includes('everyone')) return 'everyone';
  if (parts.includes('unsaid')) return 'unsaid';
  return joined(parts, 'any') ?? 'nobody';
}

function allOf(parts: readonly Admits[]): Admits {
  if (parts.includes('nobody')) return 'nobody';
  if (parts.includes('unsaid')) return 'unsaid';
  return joined(parts, 'all') ?? 'everyone';
}

/** Gates as one: of several networks, one is enough or the map cannot say it. Null without any. */
function joined(parts: readonly Admits[], need: 'any' | 'all'): Admits | null {
  const gates = parts.flatMap((one) => (typeof one === 'string' ? [] : [one]));
  const [only] = gates;
  if (only === undefined || gates.length === 1) return only ?? null;
  if (gates.some((one) => one.networks.length > 0 && one.people !== null)) return 'unsaid';
  const nets = gates.filter((one) => one.networks.length > 0);
  const people = gates.find((one) => one.people !== null)?.people ?? null;
  if (need === 'all' && nets.length > 1) return 'unsaid';
  return { networks: [...new Set(nets.flatMap((one) => one.networks))], people, need };
}
