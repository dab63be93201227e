import { realpathSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { findMap } from '../../adapters/files/find-map.ts';
import { writeTrouble, writeWhole } from '../../adapters/files/safe-write.ts';
import { renewCronLine, renewUnits } from '../../core/schedule.ts';
import type { CommandContext } from '../commands/context.ts';
import type { ScheduleOptions } from '../commands/schedule.ts';

export async function runSchedule({ map, out, then = [] }: ScheduleOptions, { io }: CommandContext): Promise<void> {
  const mapFile = await findMap({ option: map, cwd: io.cwd, env: io.env });
  const input = { program: [process.execPath, realpathSync(process.argv[1] ?? '')], mapFile, then };
  const files = renewUnits(input);
  io.err(`map: ${mapFile}\n`);
  if (out !== undefined) {
    for (const { path, content } of files) {
      const file = join(resolve(io.cwd, out), path);
      await writeWhole(file, content).catch((cause: unknown) => {
        throw writeTrouble(file, cause);
      });
      io.out(`written ${file}\n`);
    }
    io.err('next: systemctl daemon-reload && systemctl enable --now mile-marker-renew.timer\n');
    return;
  }
  for (const { path, content } of files) io.out(`# ${path}\n${content}\n`);
  io.out(`# or one line for crontab -e\n${renewCronLine(input)}\n`);
  io.err('next: mile-marker schedule --out /etc/systemd/system\n');
}
