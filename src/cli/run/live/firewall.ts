import { realpathSync } from 'node:fs';
import { findMap } from '../../../adapters/files/find-map.ts';
import { statePaths } from '../../../adapters/files/state-folder.ts';
import {
  keepFirewall,
  tryFirewall,
  wouldLoad,
  undoFirewall,
  type UndoResult,
} from '../../../use-cases/live/install-firewall.ts';
import type { CommandContext } from '../../io.ts';
import { sayMap } from '../../said-map.ts';
import { plural } from '../../print/style.ts';

export interface InstallOptions {
  map?: string;
  keep?: boolean;
  dryRun?: boolean;
  minutes: number;
}

export interface UndoOptions {
  map?: string;
  trial?: string;
}

export async function runInstallFirewall(
  { map, keep, dryRun, minutes }: InstallOptions,
  { io }: CommandContext,
): Promise<void> {
  const mapFile = await findMap({ option: map, cwd: io.cwd, env: io.env });
  await sayMap(map, mapFile, io);
  const shared = { paths: statePaths(mapFile), now: io.now() };
  if (dryRun === true) {
    io.out(await wouldLoad(shared, keep === true));
    io.err(`Nothing was changed.\nnext: mile-marker install firewall${keep === true ? ' --keep' : ''}\n`);
    return;
  }
  if (keep === true) {
    const { atBoot } = await keepFirewall(shared);
    io.err(`The rules are kept${atBoot === null ? ', and loaded at every boot' : ''}.\n`);
    if (atBoot !== null) io.err(`systemd does not run here. Run this at boot, as root:\n  ${atBoot}\n`);
    io.err('next: mile-marker verify --open-ports\n      to remove them: mile-marker undo firewall\n');
    return;
  }
  const undo = [process.execPath, realpathSync(process.argv[1] ?? ''), 'undo', 'firewall', '--map', mapFile];
  const result = await tryFirewall({ ...shared, seconds: minutes * 60, undo });
  if (result.again) {
    io.err('These rules are already loaded and kept. Nothing was changed.\nnext: mile-marker verify --open-ports\n');
    return;
  }
  const until = result.until.toISOString().slice(11, 19);
  io.err(
    `The rules are on trial. They will be removed automatically in ${plural(minutes, 'minute')}, at ${until} UTC.\n`,
  );
  io.err(
    'next: open a second session to this machine now. If that works, run in it:\n      mile-marker install firewall --keep\n      If it does not, wait.\n',
  );
}

const undoneWords: Record<UndoResult['back'], string> = {
  'as-it-was': 'No rules are on trial or kept. Nothing was changed.',
  none: 'The rules are removed. No other table was changed.',
  kept: 'The rules from before are loaded again.',
  trial: 'The rules are on trial.',
};

export async function runUndoFirewall({ map, trial }: UndoOptions, { io }: CommandContext): Promise<void> {
  const mapFile = await findMap({ option: map, cwd: io.cwd, env: io.env });
  await sayMap(map, mapFile, io);
  const { back } = await undoFirewall({ paths: statePaths(mapFile), now: io.now(), trial });
  io.err(`${undoneWords[back]}\n`);
}
