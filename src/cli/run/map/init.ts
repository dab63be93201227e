import { resolve, relative } from 'node:path';
import { Trouble } from '../../../adapters/trouble.ts';
import { hostFacts } from '../../../adapters/host/facts.ts';
import { ownAddresses } from '../../../core/way-in/way-in.ts';
import { shellWord } from '../../../core/shell-word.ts';
import { proxyNames, type ProxyName } from '../../../core/proxies/names.ts';
import { programOf } from '../../../core/proxies/programs.ts';
import { initFromProxy, initMap, sourceWords } from '../../../use-cases/map/init.ts';
import type { CommandContext } from '../../io.ts';
import { plural, wrap } from '../../print/style.ts';

export interface InitOptions {
  domain?: string;
  address?: string[];
  from?: string[];
  proxy?: ProxyName;
}

export async function runInit(options: InitOptions, context: CommandContext): Promise<void> {
  const [source, ...files] = options.from ?? [];
  if (source === undefined) await fresh(options, context);
  else if (source === 'compose' || source === 'containers') await fromServices(source, files, options, context);
  else if (isProxy(source)) await fromProxy(source, options, context);
  else
    throw new Trouble({
      code: 'from-unknown',
      message: `--from cannot take ${source}.`,
      remedy: `Write one of: ${sourceWords()}`,
      exitCode: 2,
    });
}

function isProxy(word: string): word is ProxyName {
  return (proxyNames as readonly string[]).includes(word);
}

async function fresh(options: InitOptions, { io }: CommandContext): Promise<void> {
  const { domain, addresses } = both(options);
  const { shown, compose } = await initMap({ domain, addresses, proxy: options.proxy, cwd: io.cwd });
  io.out(`${shown}\n`);
  if (compose.length === 0) io.err('There is no Compose file here. Name yours under `compose` in the map.\n');
  else io.err(`It reads the Compose file ${compose.join(', ')}.\n`);
  io.err('next: add your roads to it, then: mile-marker check\n');
}

function both({ domain, address = [] }: InitOptions): { domain: string; addresses: string[] } {
  if (domain !== undefined && address.length > 0) return { domain, addresses: address };
  throw new Trouble({
    code: 'init-what',
    message: domain === undefined ? 'The domain is missing.' : 'The public address is missing.',
    remedy: `Write: mile-marker init --domain ${shellWord(domain ?? 'NAME')} --address ${address.length > 0 ? address.map(shellWord).join(' ') : ownAddresses(hostFacts())}`,
    exitCode: 2,
  });
}

/** A map with a road for each service that has a port: what `survey --add` would add to an empty one. */
async function fromServices(
  source: 'compose' | 'containers',
  files: readonly string[],
  options: InitOptions,
  { io, run, setCode }: CommandContext,
): Promise<void> {
  if (source === 'compose' && files.length === 0)
    throw new Trouble({
      code: 'from-unknown',
      message: '--from compose: which file?',
      remedy: 'Name it: --from compose compose.yaml',
      exitCode: 2,
    });
  const compose = files.map((file) => relative(io.cwd, resolve(io.cwd, file)));
  const { domain, addresses } = both(options);
  const { shown } = await initMap({
    domain,
    addresses,
    proxy: options.proxy,
    cwd: io.cwd,
    ...(source === 'compose' ? { compose } : {}),
  });
  io.out(`${shown}\n`);
  setCode(await run(['survey', '--add', '--yes', '--map', resolve(io.cwd, shown)], io));
}

async function fromProxy(
  from: ProxyName,
  { domain, address = [], proxy }: InitOptions,
  { io }: CommandContext,
): Promise<void> {
  const world = { cwd: io.cwd, env: io.env };
  const { shown, roads, left } = await initFromProxy({
    from,
    proxy,
    domain: domain ?? null,
    addresses: address,
    ...world,
  });
  io.out(`${shown}\n`);
  for (const { origin, what, why } of left)
    io.out(
      wrap(`${what}: ${why}.`, {
        width: io.width,
        first: `not taken over  ${origin.file}:${String(origin.line)}\n    `,
        indent: '    ',
      }),
    );
  const rest =
    left.length === 0 ? 'Everything was taken over' : `${plural(left.length, 'thing')} could not be taken over`;
  io.err(
    `${plural(roads.length, 'road')}, as ${programOf(from).title} serves them now. ${rest}. Nothing else was changed.\n`,
  );
  io.err('next: mile-marker check\n      to test what runs now against the map: mile-marker verify\n');
}
