import { realpathSync } from 'node:fs';
import { findMap, shownPath } from '../../adapters/files/find-map.ts';
import { statePaths } from '../../adapters/files/state-folder.ts';
import { keepFirewall, tryFirewall, undoFirewall, type UndoResult } from '../../use-cases/live/install-firewall.ts';
import type { CommandContext } from '../commands/context.ts';
import type { InstallOptions } from '../commands/install.ts';
import type { UndoOptions } from '../commands/undo.ts';
import { plural } from '../print/style.ts';

export async function runInstallFirewall(
  { map, keep, minutes }: InstallOptions,
  { io }: CommandContext,
): Promise<void> {
  const mapFile = await findMap({ option: map, cwd: io.cwd, env: io.env });
  io.err(`map: ${shownPath(mapFile, io.cwd)}\n`);
  const shared = { paths: statePaths(mapFile), now: io.now() };
  if (keep === true) {
    const { atBoot } = await keepFirewall(shared);
    io.err(`The rules are kept${atBoot === null ? ', and loaded at every boot' : ''}.\n`);
    if (atBoot !== null) io.err(`No systemd runs here: have this run at boot, as root:\n  ${atBoot}\n`);
    io.err('next: mile-marker verify --open-ports; to take them away: mile-marker undo firewall\n');
    return;
  }
  const undo = [process.execPath, realpathSync(process.argv[1] ?? ''), 'undo', 'firewall', '--map', mapFile];
  const result = await tryFirewall({ ...shared, seconds: minutes * 60, undo });
  if (result.again) {
    io.err('These rules are loaded and kept already. Nothing was changed.\nnext: mile-marker verify --open-ports\n');
    return;
  }
  const until = result.until.toISOString().slice(11, 19);
  io.err(`The rules are on trial. They go away by themselves in ${plural(minutes, 'minute')}, at ${until} UTC.\n`);
  io.err(
    'next: open a second session to this machine now. When you get in, keep them from there:\n      mile-marker install firewall --keep\n      When you do not, wait.\n',
  );
}

const undoneWords: Record<UndoResult['back'], string> = {
  'as-it-was': 'No rules of ours are on trial or kept. Nothing was changed.',
  none: 'The rules are taken away; no other table was touched.',
  kept: 'The rules that were on trial gave way to those that were kept before.',
  trial: 'The rules are on trial.',
};

export async function runUndoFirewall({ map, trial }: UndoOptions, { io }: CommandContext): Promise<void> {
  const mapFile = await findMap({ option: map, cwd: io.cwd, env: io.env });
  io.err(`map: ${shownPath(mapFile, io.cwd)}\n`);
  const { back } = await undoFirewall({ paths: statePaths(mapFile), now: io.now(), trial });
  io.err(`${undoneWords[back]}\nnext: mile-marker install firewall\n`);
}
