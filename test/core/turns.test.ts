import fc from 'fast-check';
import { fewestRounds, mostRounds, turnsOf, varies, type Turns } from '../../src/core/legs/passing/turns.ts';
import { inTurn } from '../../src/use-cases/verify/service/in-turn.ts';

/** A service that goes by how often it was asked, and by what it was asked. */
async function asked(answer: (question: 'a' | 'b', count: number) => number): Promise<Turns & { requests: number }> {
  let count = 0;
  const ask = (question: 'a' | 'b') => () => {
    const status = answer(question, count);
    count += 1;
    return Promise.resolve({ ok: true as const, value: { status, headers: [], body: '' } });
  };
  const turns = await inTurn(ask('a'), ask('b'));
  return { ...turns, requests: count };
}

/** That two questions get different answers for what they ask. */
const differs = ({ a, b }: Turns): boolean => !varies(a) && !varies(b) && a[0] !== b[0];

test('what fails at one request in so many, whatever is asked, is never a difference between two questions', async () => {
  const period = fc.integer({ min: 2, max: 12 });
  await fc.assert(
    fc.asyncProperty(period, fc.nat(), fc.boolean(), async (every, phase, mostFail) => {
      const turns = await asked((_, count) => (((count + phase) % every === 0) !== mostFail ? 502 : 200));
      expect(differs(turns)).toBe(false);
    }),
  );
});

test('what gets another answer for what it asks is a difference, after three rounds', async () => {
  const status = fc.integer({ min: 200, max: 599 });
  await fc.assert(
    fc.asyncProperty(status, status, async (one, other) => {
      const turns = await asked((question) => (question === 'a' ? one : other));
      expect([differs(turns), turns.requests]).toEqual([one !== other, 2 * fewestRounds]);
    }),
  );
});

test('each round asks both, and more rounds are taken only while they disagree', async () => {
  for (let round = 0; round < mostRounds; round += 1) expect([...turnsOf(round, round + 1)].sort()).toEqual(['a', 'b']);
  const turns = await asked((_, count) => (count % 2 === 0 ? 200 : 502));
  expect(turns.requests).toBe(2 * mostRounds);
});

test('whoever says that it is asked too often is asked no more', async () => {
  const turns = await asked((_, count) => (count > 3 ? 429 : 200));
  expect(turns.requests).toBe(2 * fewestRounds);
});
