import type { Answer, Attempt } from '../../../core/legs/answer.ts';
import {
  fewestRounds,
  isTooOften,
  mostRounds,
  sampleOf,
  turnsOf,
  varies,
  type Turns,
} from '../../../core/legs/passing/turns.ts';

type Ask = () => Promise<Attempt<Pick<Answer, 'status'>>>;

/**
 * Asks two questions by turns, so that a difference between them is one between the questions and not one of the moment: three rounds, and as
 * many again once one of them gets different answers, for the rate. Whoever is silent is asked everything at once, since waiting adds up.
 */
export async function inTurn(a: Ask, b: Ask, more: { isSilent?: boolean } = {}): Promise<Turns> {
  const turns: Turns = { a: [], b: [] };
  const take = async (which: 'a' | 'b'): Promise<void> => {
    turns[which].push(sampleOf(await (which === 'a' ? a() : b())));
  };
  const rounds = async (from: number, to: number): Promise<void> => {
    const order = turnsOf(from, to);
    if (more.isSilent === true || turns.a.includes('silent') || turns.b.includes('silent')) {
      await Promise.all(order.map(take));
      return;
    }
    for (const which of order) await take(which);
  };
  await rounds(0, fewestRounds);
  const disagrees = varies(turns.a) || varies(turns.b);
  if (disagrees && !isTooOften(turns.a) && !isTooOften(turns.b)) await rounds(fewestRounds, mostRounds);
  return turns;
}

/**
 * Whether what one question shows comes each time that it is asked, and never with another that changes nothing: by turns, so that it is not of the
 * moment.
 */
export async function comesAgain(shows: () => Promise<boolean>, control: () => Promise<boolean>): Promise<boolean> {
  for (const which of turnsOf(0, fewestRounds)) {
    const isShown = which === 'a' ? await shows() : await control();
    if (isShown !== (which === 'a')) return false;
  }
  return true;
}
