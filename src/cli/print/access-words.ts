import type { Access } from '../../core/verdict/exposure.ts';

/** What a viewpoint gets of a road, in a cell of the matrix. */
export const accessWords: Record<Access, string> = {
  passes: 'passes',
  password: 'password',
  asked: 'asks',
  refused: '-',
  paused: 'paused',
  nowhere: 'no service',
};
