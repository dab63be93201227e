import fc from 'fast-check';
import { emptyModel, RealFront, steps } from './support/front-model.ts';

/**
 * Random sequences of all that is done to a front, on real servers: whatever came before, one whole edition is served, a change that fails leaves everything
 * as it was, what the tool says is what curl sees, and looking changes nothing. `npm run thorough` goes on for thousands of steps.
 */

const seed = Number(process.env['MODEL_SEED'] ?? 20_261_201);
const runs = Number(process.env['MODEL_RUNS'] ?? (process.env['EVERY_CHANGE'] === '1' ? 100 : 1));
const length = Number(process.env['MODEL_LENGTH'] ?? 24);

test(
  'whatever is done to it, a front serves one whole edition, and the tool says which',
  async () => {
    let done = 0;
    const sequences = fc.sample(fc.array(fc.oneof(...steps), { minLength: length, maxLength: length }), {
      seed,
      numRuns: runs,
    });
    for (const [index, sequence] of sequences.entries()) {
      const model = emptyModel();
      const real = await RealFront.start(model);
      try {
        await fc.asyncModelRun(() => ({ model, real }), sequence);
        done += real.steps;
      } catch (error) {
        throw new Error(`seed ${String(seed)}, sequence ${String(index)}: ${sequence.join('; ')}\n${String(error)}`);
      } finally {
        await real.machine.stop();
      }
    }
    if (runs > 1) process.stderr.write(`${String(done)} steps, seed ${String(seed)}\n`);
    expect(done).toBeGreaterThan((runs * length) / 4);
  },
  60_000 + runs * length * 20_000,
);
