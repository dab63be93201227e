import { readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { reasonOf, Trouble } from '../../adapters/trouble.ts';
import { rehearseInside } from './inside.ts';
import type { Job } from './job.ts';

/** Bundled as a program of its own, which is run inside: its one argument is the job, its report goes beside it. */
async function main(): Promise<void> {
  const job = JSON.parse(await readFile(process.argv[2] ?? '', 'utf8')) as Job;
  const told = await rehearseInside(job).then(
    (report) => ({ report }),
    (error: unknown) => ({
      trouble: {
        code: error instanceof Trouble ? error.code : 'rehearsal-failed',
        message: reasonOf(error),
      },
    }),
  );
  await writeFile(join(job.scratch, 'report.json'), JSON.stringify(told));
  process.exit(0);
}

void main();
