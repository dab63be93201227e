import { Command, jsonOption, mapOption, proxyOption } from './common-options.ts';
import { alone } from '../alone.ts';
import type { ProxyName } from '../../core/proxies/names.ts';
import type { CommandContext } from '../io.ts';

interface Options {
  map?: string;
  json?: boolean;
  out?: string;
  diff?: boolean;
  dryRun?: boolean;
  compose?: boolean;
  cluster?: boolean;
  newIdentity?: boolean;
  proxy?: ProxyName;
}

export function write(context: CommandContext): Command {
  return new Command('write')
    .description("write the proxy's configuration as a new edition, and point `current` at it")
    .addOption(mapOption())
    .option('--out <folder>', 'folder for the editions (default: .mile-marker/front beside the map)')
    .option('--diff', 'only show how the files would change')
    .option('--dry-run', 'only show what would be written')
    .addOption(proxyOption())
    .option('--compose', 'also write front.compose.yaml, a container for the proxy, and list ports to close')
    .option(
      '--cluster',
      'also write front.stack.yaml, the proxy as a service on the nodes of a cluster (`front.nodes`)',
    )
    .option('--new-identity', 'give this map a new identity, if its folder is a copy of another')
    .addOption(jsonOption())
    .action(async (options: Options) => {
      const { runWrite } = await import('../run/live/write.ts');
      await alone({ ...options, dryRun: options.diff === true || options.dryRun === true }, 'write', context.io, () =>
        runWrite(options, context),
      );
    });
}
