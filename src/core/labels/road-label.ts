import { parse } from 'yaml';
import * as z from 'zod';

/** The one label of a container that this program reads. */
export const roadLabel = 'mile-marker.road';

/** YAML with these keys only. */
const labelKeys = z.strictObject({
  name: z.string().optional(),
  port: z.int().min(1).max(65_535).optional(),
  gate: z.string().optional(),
});

export type RoadLabel = z.output<typeof labelKeys>;

/** Longer than any label that says three things; YAML of any size is not for everybody to have read. */
const mostLetters = 1000;

/** What a label asks for; null when it is not understood. */
export function readRoadLabel(text: string): RoadLabel | null {
  if (text.length > mostLetters) return null;
  try {
    return labelKeys.safeParse(parse(text, { stringKeys: true, maxAliasCount: 0, logLevel: 'silent' })).data ?? null;
  } catch {
    return null;
  }
}
