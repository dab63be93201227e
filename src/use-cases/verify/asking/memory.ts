/** What the tests of several roads share while they run: there is one wrong password a run, and one address that the front sees. */
export interface Memory {
  /** The address that the front's log has for this machine, once it said it. */
  seenAs: string | null;
  /** Takes the one wrong password of this run; false when it is spent. */
  takeGuess: () => boolean;
}

export function memory(): Memory {
  let isSpent = false;
  return {
    seenAs: null,
    takeGuess: () => {
      const isFree = !isSpent;
      isSpent = true;
      return isFree;
    },
  };
}
