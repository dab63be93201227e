import { Command, jsonOption, mapOption, type CommandContext } from './context.ts';

interface Options {
  map?: string;
  json?: boolean;
}

interface AddOptions extends Options {
  redirect?: string;
  open?: boolean;
  like?: string;
}

export function add(context: CommandContext): Command {
  return new Command('add')
    .description('put a road on the map; the rest of the file stays byte for byte')
    .argument('<name>', 'its name, such as nestcam')
    .argument('[to]', 'where it leads: SERVICE:PORT, :PORT of this host, or a URL')
    .option('--redirect <url>', 'send visitors there instead')
    .option('--open', 'let everyone pass (without it only your home networks do)')
    .option('--like <road>', 'with the gate and manner of this road')
    .addOption(mapOption())
    .addOption(jsonOption())
    .action(async (road: string, to: string | undefined, options: AddOptions) => {
      const { runAdd } = await import('../run/edit.ts');
      const { redirect = null, open = false, like = null } = options;
      await runAdd({ kind: 'add', road, to: to ?? null, redirect, open, like }, options, context);
    });
}

const simple =
  (kind: 'remove' | 'pause' | 'resume', description: string) =>
  (context: CommandContext): Command =>
    new Command(kind)
      .description(description)
      .argument('<road>', 'its name, short or full')
      .addOption(mapOption())
      .addOption(jsonOption())
      .action(async (road: string, options: Options) => {
        const { runEdit } = await import('../run/edit.ts');
        await runEdit({ kind, road }, options, context);
      });

export const remove = simple('remove', 'take a road off the map for good');
export const pause = simple('pause', 'take a road off for a while: visitors get 503');
export const resume = simple('resume', 'let a paused road go on');
