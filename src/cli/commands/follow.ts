import { Option } from 'commander';
import { Command, mapOption } from './common-options.ts';
import type { CommandContext } from '../io.ts';
import type { FollowOptions } from '../run/live/follow.ts';

export function follow(context: CommandContext): Command {
  return new Command('follow')
    .description('keep the front up to date with the containers and the map until Ctrl-C')
    .addOption(mapOption())
    .addOption(
      new Option(
        '--half <half>',
        'run only one half: the one that asks the engine, or the one that keeps the front, each as its own user',
      ).choices(['engine', 'front']),
    )
    .action(async (options: FollowOptions) => {
      const { runFollow } = await import('../run/live/follow.ts');
      await runFollow(options, context);
    });
}
