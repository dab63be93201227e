import { execFileSync } from 'node:child_process';
import { fileURLToPath } from 'node:url';

/** The tests drive the built program, so it is built once before them. */
export default function build() {
  execFileSync(process.execPath, [fileURLToPath(new URL('../../scripts/build.mjs', import.meta.url))], {
    stdio: 'inherit',
  });
}
