import { parseAddress } from '../../networks/address.ts';
import type { Left } from '../../takeover/taken-over.ts';
import { isPublicLiteral } from '../../takeover/words.ts';
import type { Directive } from './tree.ts';
import { portOf } from './words.ts';

/** A server of nginx, as far as taking it over goes. */
export interface Server {
  directive: Directive;
  block: Directive[];
  names: string[];
  secure: boolean;
  addresses: string[];
  listens: Array<{ port: number; secure: boolean }>;
  /** Values of `set`. */
  variables: ReadonlyMap<string, string>;
}

/** What all servers share, and the list of what could not be taken over. */
export interface Context {
  upstreams: ReadonlyMap<string, Directive>;
  left: Left[];
  /** What stands in `http { }`, which servers inherit. */
  http: readonly Directive[];
}

export function serverOf(directive: Directive): Server {
  const block = directive.block ?? [];
  const listens = block.filter(({ name }) => name === 'listen');
  const addresses = listens.flatMap(({ args: [endpoint = ''] }) => {
    const host = /^\[([^\]]+)\]|^([\d.]+)(?::\d+)?$/.exec(endpoint);
    const address = parseAddress(host?.[1] ?? host?.[2] ?? '');
    return isPublicLiteral(address) ? [address] : [];
  });
  const ports = (listens.length === 0 ? [[]] : listens.map(({ args }) => args)).map(([endpoint = '80', ...flags]) => {
    const port = portOf(endpoint);
    return { port, secure: flags.includes('ssl') || port === 443 || valueOf(block, 'ssl') === 'on' };
  });
  const variables = new Map(
    block.flatMap(({ name, args: [key = '', value = ''] }) => (name === 'set' ? [[key, value] as const] : [])),
  );
  return {
    directive,
    block,
    names: block.flatMap(({ name, args }) => (name === 'server_name' ? args : [])).map((name) => name.toLowerCase()),
    secure: ports.some((one) => one.secure),
    addresses,
    listens: ports,
    variables,
  };
}

export function valueOf(block: readonly Directive[], name: string): string | null {
  return block.find((one) => one.name === name)?.args[0] ?? null;
}

export function originOf({ file, line }: Directive): { file: string; line: number } {
  return { file, line };
}

/** Variables that `set` gives a plain value; what is left of others stays. */
export function filledIn(text: string, variables: ReadonlyMap<string, string>): string {
  let filled = text;
  for (let depth = 0; depth < 5; depth += 1)
    filled = filled.replace(/\$\{?([a-z_]\w*)\}?/gi, (word: string, name: string) => variables.get(`$${name}`) ?? word);
  return filled;
}
