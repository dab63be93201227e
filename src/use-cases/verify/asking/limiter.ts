import PQueue from 'p-queue';

/** Runs work when its turn has come. */
export type Limiter = <T>(work: () => Promise<T>) => Promise<T>;

/** What waits this long gives its turn to the next: waiting costs nothing, and a server that hangs must not hold up others. */
const graceMs = 250;

/** So many may wait beside each other: connections cost memory. */
const mostWaiting = 64;

/**
 * @param count steps that are begun and have not waited long yet, at one time
 * @returns by the place in the order: what was begun first goes before all that was begun later, so that it ends and what it holds is let go
 */
export function limiters(count: number): (place: number) => Limiter {
  const waiting = new PQueue({ concurrency: Math.max(count, mostWaiting) });
  const working = new PQueue({ concurrency: count });
  return (place) => {
    const before = { priority: -place };
    return (work) =>
      waiting.add(async () => {
        const { result } = await working.add(async () => {
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
        }, before);
        return result;
      }, before);
  };
}
