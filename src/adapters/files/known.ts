import { readFileSync } from 'node:fs';
import * as z from 'zod';
import type { KnownServices } from '../../core/inventory/known-services.ts';
import type { StatePaths } from './state-folder.ts';
import { writeWhole } from './safe-write.ts';

const form = z.object({
  labels: z.record(z.string(), z.string()),
  projects: z.record(z.string(), z.string()),
});

/** What was found when files were written last. */
export function readKnown({ known }: Pick<StatePaths, 'known'>): KnownServices {
  try {
    const { labels, projects } = form.parse(JSON.parse(readFileSync(known, 'utf8')));
    return { labels: new Map(Object.entries(labels)), projects: new Map(Object.entries(projects)) };
  } catch {
    return { labels: new Map(), projects: new Map() };
  }
}

export async function writeKnown({ known }: Pick<StatePaths, 'known'>, now: KnownServices): Promise<void> {
  const text = JSON.stringify({ labels: Object.fromEntries(now.labels), projects: Object.fromEntries(now.projects) });
  await writeWhole(known, `${text}\n`, 0o600);
}
