import { runQuiet } from '../processes/run-quiet.ts';
import { unshareWords } from '../processes/unshare.ts';
import { patienceMs, type Swap } from './adapter.ts';

/** Exit code of the shell in between; servers end with 0 or 1. */
const noMount = 99;

/**
 * Runs a test in a mount namespace of its own (mount_namespaces(7)) in which the new edition stands where the old one does, so that the very bytes are tested
 * with all that is beside them, and what runs sees nothing of it. Null where this machine does not allow that.
 */
export async function runSwapped(
  program: string,
  test: readonly string[],
  swaps: readonly Swap[],
): Promise<{ code: number | null; err: string } | null> {
  if (swaps.length === 0) return runQuiet(program, test, patienceMs);
  const bind = `while [ "$1" != -- ]; do mount --bind "$1" "$2" || exit ${String(noMount)}; shift 2; done`;
  const inside = ['sh', '-c', `${bind}; shift; exec "$@"`, 'sh', ...swaps.flatMap(({ instead, of }) => [instead, of])];
  const [unshare = '', ...argv] = [...unshareWords('--mount'), ...inside, '--', program, ...test];
  const ended = await runQuiet(unshare, argv, patienceMs);
  return ended.code === null || ended.code === noMount || /^unshare: /m.test(ended.err) ? null : ended;
}
