import pLimit from 'p-limit';

/** Runs work when its turn has come. */
export type Limiter = <T>(work: () => Promise<T>) => Promise<T>;

/** What waits this long gives its turn to the next: waiting costs nothing, and a server that hangs must not hold up others. */
const graceMs = 250;

/** So many may wait beside each other: connections cost memory. */
const mostWaiting = 64;

/** @param count steps that are begun and have not waited long yet, at one time */
export function limiter(count: number): Limiter {
  const waiting = pLimit(Math.max(count, mostWaiting));
  const working = pLimit(count);
  return (work) =>
    waiting(async () => {
      const { result } = await working(async () => {
        const running = work();
        await new Promise<void>((resolve) => {
          const timer = setTimeout(resolve, graceMs);
          const settled = (): void => {
            clearTimeout(timer);
            resolve();
          };
          running.then(settled, settled);
        });
        return { result: running };
      });
      return result;
    });
}
