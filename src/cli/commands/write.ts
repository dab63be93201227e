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
    .option('--diff', 'show how the files would change, and write nothing')
    .option('--dry-run', 'show what would be written, and write nothing')
    .addOption(proxyOption())
    .option('--compose', 'also write front.compose.yaml, a container for the proxy, and show which ports to close')
    .option(
      '--cluster',
      'also write front.stack.yaml, the proxy as a service on the nodes of a cluster (`front.nodes`)',
    )
    .option('--new-identity', 'give this map another identity: for a folder that is a copy of another')
    .addOption(jsonOption())
    .action(async (options: Options) => {
      const { runWrite } = await import('../run/write.ts');
      await alone({ ...options, dryRun: options.diff === true || options.dryRun === true }, 'write', context.io, () =>
        runWrite(options, context),
      );
    });
}
