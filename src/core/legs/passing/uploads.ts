import { card } from '../../findings/card.ts';
import type { PlannedRoad } from '../../plan/plan.ts';
import type { LegResult, Problem } from '../leg.ts';
import { bad } from '../leg.ts';
import { unite, type LegAt } from '../unite.ts';

const uploads = card({
  id: 'upload-limit',
  severity: 'warning',
  summary: 'The front has another limit for uploads than the map.',
  why: 'Some servers stop at one megabyte by default: pages work, but pictures and backups do not arrive.',
  source: 'RFC 9110 §15.5.14 and §10.1.1; map reference: `body-limit`',
  messages: {
    refused: {
      message: '{names}: the front refuses an upload of {size} with 413, but the map {says}.',
      remedy:
        'In hand-written files, raise the limit{uploadLimit}. If the limit is meant, write `body-limit` in the map. Make the map live: {live}',
    },
    taken: {
      message: '{names}: the front accepts an upload of {size}, but the map {says}.',
      remedy: 'Make the map live: {live}',
    },
  },
});

export const uploadCards = [uploads];

/**
 * What came back when an upload was announced, of which not a byte was sent.
 *
 * @property part prefix of the part of the road
 * @property bytes that were announced
 * @property front status: 100 for "go on"; null when nothing came back
 * @property direct the same from the service itself; null when it was not asked, or nothing came back
 */
export interface UploadEvidence {
  part: string;
  bytes: number;
  front: number | null;
  direct: number | null;
}

const mib = 1024 * 1024;

/** Just above what servers stop at by themselves. More is a matter of taste, and of what the service is for. */
const usual = 2 * mib;

/** Sizes in bytes that show whether the limit of a road is kept: one that must pass, and one that must not, if there is one. */
export function uploadSizes({ rules: { bodyLimitBytes: limit } }: PlannedRoad): number[] {
  return limit === null ? [usual] : [limit, limit + 1];
}

/** The service's leg with what came of the uploads. */
export function withUploads(service: LegResult, road: PlannedRoad, evidence: readonly UploadEvidence[]): LegResult {
  const results = evidence.map((one): LegAt => {
    const [problem] = uploadProblem(road, one);
    return {
      address: '',
      part: one.part,
      result: problem === undefined ? service : bad('service', 'uploads', problem),
    };
  });
  return unite(results) ?? service;
}

function uploadProblem({ rules }: PlannedRoad, { bytes, front, direct }: UploadEvidence): Problem[] {
  const limit = rules.bodyLimitBytes;
  const says = limit === null ? 'sets no limit' : `says \`body-limit\` ${inWords(limit)}`;
  const told = (say: 'refused' | 'taken'): Problem[] => [
    { card: uploads, say, data: { size: inWords(bytes), says }, cause: `uploads:${say}:${String(bytes)}` },
  ];
  if (limit === null || bytes <= limit) return front === 413 && direct !== 413 ? told('refused') : [];
  return front !== null && front < 400 ? told('taken') : [];
}

function inWords(bytes: number): string {
  if (bytes % mib === 0) return `${String(bytes / mib)} MiB`;
  return bytes % 1024 === 0 ? `${String(bytes / 1024)} KiB` : `${String(bytes)} bytes`;
}
