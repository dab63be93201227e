import { Command, jsonOption, mapOption, noReloadOption } from './common-options.ts';
import { alone } from '../alone.ts';
import type { EditOptions, Followed, SetOptions } from '../run/map/edit.ts';
import type { CommandContext } from '../io.ts';

interface Options {
  map?: string;
  json?: boolean;
}

interface AddOptions extends Options {
  redirect?: string;
  open?: boolean;
  like?: string;
}

/** What `follow` brings live is waited for once the files of the map are free again. */
async function edited({ io }: CommandContext, edit: () => Promise<Followed>): Promise<void> {
  const site = await edit();
  if (site === null) return;
  const { waitForFollow } = await import('../run/live/wait-for-follow.ts');
  await waitForFollow(site, io);
}

export function add(context: CommandContext): Command {
  return new Command('add')
    .description('add a road to the map; nothing else in the file changes')
    .argument('[name]', 'its name, such as nestcam')
    .argument('[to]', 'where it leads: SERVICE:PORT, :PORT of this machine, or a URL')
    .option('--redirect <url>', 'send visitors there instead')
    .option('--open', 'let everyone pass (without it only your home networks do)')
    .option('--like <road>', 'copy gate and settings from this road')
    .addOption(mapOption())
    .addOption(jsonOption())
    .action(async (road: string | undefined, to: string | undefined, options: AddOptions) => {
      const { runAdd } = await import('../run/map/edit.ts');
      const { redirect = null, open = false, like = null } = options;
      await edited(context, () =>
        alone({ ...options, leavesCutShort: true }, 'add', context.io, () =>
          runAdd({ kind: 'add', road: road ?? null, to: to ?? null, redirect, open, like }, options, context),
        ),
      );
    });
}

export function set(context: CommandContext): Command {
  return new Command('set')
    .description('change one key of a road, of several roads, or of the map; nothing else in the file changes')
    .argument(
      '<road>',
      'name of the road, short or full; several as nestcam,tides or "nest*"; or the path of a key, such as front.home',
    )
    .argument('[key]', 'the key of a road, such as gate')
    .argument('[value]', 'its value in YAML, such as everyone or "[GET, HEAD]"')
    .option('--all', 'every road: a key and its value')
    .option('--unset', 'remove the key instead')
    .addOption(mapOption())
    .addOption(jsonOption())
    .addOption(noReloadOption())
    .action(async (road: string, key: string | undefined, value: string | undefined, options: SetOptions) => {
      const words = [road, key, value].filter((one) => one !== undefined);
      const { runSet } = await import('../run/map/edit.ts');
      const closes = words.includes('gate');
      await edited(context, () =>
        alone({ ...options, leavesCutShort: !closes }, 'set', context.io, () => runSet(words, options, context)),
      );
    });
}

function simple(kind: 'remove' | 'pause' | 'resume', description: string, context: CommandContext): Command {
  return new Command(kind)
    .description(description)
    .argument('<road>', 'its name, short or full')
    .addOption(mapOption())
    .addOption(jsonOption())
    .action(async (road: string, options: EditOptions) => {
      const { runEdit } = await import('../run/map/edit.ts');
      await edited(context, () =>
        alone({ ...options, leavesCutShort: kind === 'remove' }, kind, context.io, () =>
          runEdit({ kind, road }, options, context),
        ),
      );
    });
}

export function remove(context: CommandContext): Command {
  return simple('remove', 'remove a road from the map', context);
}

export function pause(context: CommandContext): Command {
  return simple('pause', 'switch a road off for a while: visitors get 503', context).addOption(noReloadOption());
}

export function resume(context: CommandContext): Command {
  return simple('resume', 'switch a paused road on again', context).addOption(noReloadOption());
}
