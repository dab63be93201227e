import { runQuiet } from '../../processes/run-quiet.ts';
import { patienceMs } from '../adapter.ts';

/** What Debian's package has its configuration filled in with; other systems have no such file. */
const settings = '/etc/apache2/envvars';

/** Words that run the program with those settings, as its own scripts do. */
export function withSettings(program: string, argv: readonly string[]): [string, string[]] {
  const script = 'if [ -r "$1" ]; then . "$1"; mkdir -p "${APACHE_RUN_DIR:-/tmp}" 2>/dev/null; fi; shift; exec "$@"';
  return ['sh', ['-c', script, 'sh', settings, program, ...argv]];
}

/** Runs the installed program. */
export function run(program: string, argv: readonly string[]): ReturnType<typeof runQuiet> {
  const [shell, words] = withSettings(program, argv);
  return runQuiet(shell, words, patienceMs);
}
