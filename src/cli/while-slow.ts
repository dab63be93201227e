import type { Io } from './io.ts';

/** For so long nobody needs to be told what is waited for. */
const patientMs = 500;

/** Says what is waited for when it takes longer than people like to wait without a word, and takes that away again. */
export async function whileSlow<T>(words: string, { progress }: Pick<Io, 'progress'>, work: Promise<T>): Promise<T> {
  let isTold = false;
  const slow = setTimeout(() => {
    isTold = true;
    progress(words);
  }, patientMs);
  try {
    return await work;
  } finally {
    clearTimeout(slow);
    if (isTold) progress('');
  }
}

/** An engine, or another machine, may take seconds to answer, or not to. */
export const askingWhatRuns = 'asking what runs';
