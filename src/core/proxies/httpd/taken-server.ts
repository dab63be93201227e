import { parseAddress } from '../../networks/address.ts';
import type { Left, Origin } from '../../takeover/taken-over.ts';
import { isPublicLiteral } from '../../takeover/words.ts';
import type { Directive } from './tree.ts';

/** A server of httpd, as far as taking it over goes. */
export interface Server {
  directive: Directive;
  /** Its own words, then those outside of all servers, which it inherits. */
  block: readonly Directive[];
  own: readonly Directive[];
  names: string[];
  secure: boolean;
  addresses: string[];
  listens: Array<{ port: number; secure: boolean }>;
}

/** What all servers share, and the list of what could not be taken over. */
export interface Context {
  root: string;
  /** `balancer://NAME`, with what stands in its section. */
  groups: ReadonlyMap<string, Directive>;
  left: Left[];
}

export function originOf({ file, line }: Directive): Origin {
  return { file, line };
}

export function valueOf(block: readonly Directive[], name: string): string | null {
  return block.find((one) => one.name === name)?.args[0] ?? null;
}

/** The servers of a tree; what stands outside of all of them is one itself where there are no others. */
export function serversOf(tree: readonly Directive[]): Server[] {
  const main = tree.filter(({ name }) => name !== 'virtualhost');
  const hosts = tree.filter(({ name }) => name === 'virtualhost');
  const listened = main.flatMap(({ name, args }) => (name === 'listen' ? [args[0] ?? ''] : []));
  const alone = main.find(({ name }) => name === 'servername');
  if (hosts.length === 0) return alone === undefined ? [] : [serverOf(alone, main, [], listened)];
  return hosts.map((one) => serverOf(one, one.block ?? [], main, one.args));
}

function serverOf(
  directive: Directive,
  own: Directive[],
  main: readonly Directive[],
  endpoints: readonly string[],
): Server {
  const block = [...own, ...main];
  const said = own.flatMap(({ name, args }) => (['servername', 'serveralias'].includes(name) ? args : []));
  const speaksTls = (valueOf(block, 'sslengine') ?? 'off').toLowerCase() === 'on';
  const listens = endpoints.map((endpoint) => {
    const port = Number(/(?:^|:)(\d+)$/.exec(endpoint)?.[1] ?? 80);
    return { port, secure: speaksTls };
  });
  const addresses = endpoints.flatMap((endpoint) => {
    const host = /^\[([^\]]+)\]|^([\d.]+):\d+$/.exec(endpoint);
    const address = parseAddress(host?.[1] ?? host?.[2] ?? '');
    return isPublicLiteral(address) ? [address] : [];
  });
  return {
    directive,
    own,
    block,
    // A name may stand there with scheme and port.
    names: said.map((name) =>
      name
        .toLowerCase()
        .replace(/^https?:\/\//, '')
        .replace(/:\d+$/, ''),
    ),
    secure: speaksTls,
    addresses,
    listens,
  };
}
