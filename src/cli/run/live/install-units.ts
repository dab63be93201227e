import { access } from 'node:fs/promises';
import { dirname } from 'node:path';
import { hasSystemd, removeUnits, readUnit, setUpUnits } from '../../../adapters/host/units.ts';
import { findMap } from '../../../adapters/files/find-map.ts';
import { installedBuiltin } from '../../../adapters/proxies/builtin/installed.ts';
import { exit } from '../../../adapters/trouble.ts';
import { ownerName } from '../../../adapters/host/file-user.ts';
import { unitWord } from '../../../core/unit-words.ts';
import type { Site } from '../../../use-cases/map/load.ts';
import {
  changedUnits,
  unitNames,
  wantedUnits,
  type TimerWishes,
  type UnitPart,
  type WantedUnits,
} from '../../../use-cases/live/units.ts';
import { lastWritten } from '../../../use-cases/live/serve.ts';
import type { CommandContext } from '../../io.ts';
import { sayMap } from '../../said-map.ts';
import { openSite, type OpenOptions } from '../../open-site.ts';
import { jsonDocument } from '../../print/json.ts';
import { agreed } from './install-front.ts';
import { mailProgram } from '../verify/night-mail.ts';
import { wishesOf, type ScheduleOptions } from './schedule.ts';

export interface UnitOptions extends OpenOptions, Omit<ScheduleOptions, 'map' | 'out'> {
  yes?: boolean;
  dryRun?: boolean;
  show?: boolean;
}

/** Shows the units, asks, writes and starts them; without systemd or the right to, prints what to do instead. */
export async function runInstallUnits(part: UnitPart, options: UnitOptions, context: CommandContext): Promise<void> {
  const { io, setCode } = context;
  const site = await openSite(options, context, 'install-units');
  if (site === null) return;
  const wanted = await wantedUnits(part, site, await toldWishes(options, site, io));
  const changed = hasSystemd() ? await changedUnits(wanted, site.mapFile) : wanted.units;
  const end = (words: string): void => {
    if (options.json === true)
      io.out(jsonDocument('install-units', { map: site.mapFile, part, end: words, units: wanted.units }));
  };
  if (options.json !== true)
    for (const { path, content } of changed)
      io.out(
        options.show === true ? `# /etc/systemd/system/${path}\n${content}\n` : `write   /etc/systemd/system/${path}\n`,
      );
  const asRoot = wanted.units.find(({ content }) => content.includes('\nUser=0\n'));
  if (part === 'service' && asRoot !== undefined) io.err(asRootWords(asRoot.content));
  if (options.dryRun === true) {
    end('not-yet');
    io.err(`Nothing was changed.\nnext: mile-marker install ${part}\n`);
    return;
  }
  if (!hasSystemd() || process.getuid?.() !== 0) {
    end('not-possible');
    io.err(hasSystemd() ? withoutRoot(part) : withoutSystemd(part, wanted));
    setCode(exit.cannotJudge);
    return;
  }
  if (changed.length === 0) {
    end('same');
    io.err('The systemd units are up to date. Nothing was changed.\n');
    return;
  }
  if (part === 'service' && (await lastWritten(site.paths)) === null) {
    end('refused');
    io.err('Nothing is written yet that the front could serve.\nnext: mile-marker install, then this again\n');
    setCode(exit.foundWrong);
    return;
  }
  if (!(await agreed('Have systemd start this now and at every boot?', options, io))) {
    io.err('Nothing was changed.\n');
    return;
  }
  // What runs in the background would keep the ports.
  if (part === 'service') await installedBuiltin.stop?.(site.mapFile);
  await setUpUnits(wanted.units, { enable: wanted.enable, now: true });
  end('installed');
  io.err(`systemd starts ${wanted.enable.join(', ')} now and at every boot.\n`);
  io.err(`next: ${nextWords[part].installed}\n      to undo it: mile-marker undo ${part}\n`);
}

/** Whoever says nothing is written to, where this machine has mail: a test that nobody reads is none. */
async function toldWishes(options: UnitOptions, { mapFile }: Site, io: CommandContext['io']): Promise<TimerWishes> {
  const wishes = wishesOf(options, null, io.cwd);
  const isTold = options.mail !== undefined || options.notify !== undefined;
  const hasMail = await access(mailProgram).then(
    () => true,
    () => false,
  );
  return isTold || !hasMail ? wishes : { ...wishes, mail: ownerName(dirname(mapFile)) ?? 'root' };
}

/** @property what for whom systemd is not there @property question before it is taken away */
const nextWords: Record<UnitPart, { installed: string; removed: string; what: string; question: string }> = {
  service: {
    installed: 'mile-marker verify',
    removed: 'mile-marker install (in the background, until the machine stops)',
    what: 'start the front at boot',
    question: 'This stops the front. No visitor can reach a road then. Continue?',
  },
  follow: {
    installed: 'journalctl -fu mile-marker-follow (what it does)',
    removed: 'mile-marker check (shows roads that now lead nowhere)',
    what: 'start it at boot',
    question: 'The front will no longer notice when containers change. Continue?',
  },
  timers: {
    installed: 'systemctl list-timers',
    removed: 'mile-marker certs renew',
    what: 'use cron for it',
    question: 'You will have to renew certificates by hand. Continue?',
  },
};

function asRootWords(unit: string): string {
  const rights = unit.includes('CAP_NET_BIND_SERVICE')
    ? 'no other root rights than ports below 1024'
    : 'none of root’s rights';
  return `The folder of the map belongs to root, so the front runs as root, with ${rights}.\nTo run it as its own user: chown -R USER FOLDER, then run this again.\n`;
}

function withoutRoot(part: UnitPart): string {
  return `Writing systemd units needs root. Nothing was changed.\nnext: as root: mile-marker install ${part}\n`;
}

function withoutSystemd(part: UnitPart, { instead }: WantedUnits): string {
  const { what } = nextWords[part];
  return `systemd does not run here. Nothing was changed.\nnext: to ${what}, add with crontab -e:\n${instead.map((line) => `      ${line}\n`).join('')}`;
}

export async function runUndoUnits(part: UnitPart, options: UnitOptions, { io }: CommandContext): Promise<void> {
  const mapFile = await findMap({ option: options.map, cwd: io.cwd, env: io.env });
  await sayMap(options.map, mapFile, io);
  const names = unitNames(part);
  const ours = (await Promise.all(names.map(readUnit))).some((text) => text?.includes(unitWord(mapFile)) === true);
  if (!ours || !hasSystemd()) {
    io.err(`\`mile-marker install ${part}\` has made no units for this map. Nothing was changed.\n`);
    return;
  }
  if (!(await agreed(nextWords[part].question, options, io))) {
    io.err('Nothing was changed.\n');
    return;
  }
  const removed = await removeUnits(names);
  io.err(`Stopped and removed: ${removed.join(', ')}.\n`);
  io.err(`next: ${nextWords[part].removed}\n      to set it up again: mile-marker install ${part}\n`);
}
