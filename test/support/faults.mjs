// Loaded before the program: counts what it changes on the disk, and from change number FAULT_AT on does what FAULT says:
// kill the program, interrupt it as Ctrl-C does, once or twice, or answer as a full or read-only disk would. FAULT_COUNT names a file for the number of changes,
// FAULT_AFTER a text: the program is killed as soon as that is written.
import fs from 'node:fs/promises';
import { writeFileSync } from 'node:fs';
import { syncBuiltinESMExports } from 'node:module';

const { FAULT = '', FAULT_AT = '0', FAULT_COUNT = '', FAULT_AFTER = '' } = process.env;
let count = 0;

function change(name) {
  count += 1;
  if (FAULT === '' || count < Number(FAULT_AT)) return;
  if (FAULT === 'once' || FAULT === 'twice') {
    if (count - Number(FAULT_AT) < (FAULT === 'once' ? 1 : 2)) process.kill(process.pid, 'SIGINT');
    return;
  }
  if (FAULT === 'kill') process.kill(process.pid, 'SIGKILL');
  // A full disk still lets things go away.
  if (FAULT === 'ENOSPC' && ['rm', 'unlink', 'chmod'].includes(name)) return;
  throw Object.assign(new Error(`${FAULT}: ${name}`), { code: FAULT });
}

for (const name of ['mkdir', 'rm', 'rename', 'symlink', 'link', 'chmod', 'appendFile', 'writeFile', 'unlink']) {
  const real = fs[name];
  fs[name] = async (...given) => {
    change(name);
    return real(...given);
  };
}
const realOpen = fs.open;
fs.open = async (path, flags = 'r', ...rest) => {
  if (flags === 'r') return realOpen(path, flags, ...rest);
  change('open');
  const handle = await realOpen(path, flags, ...rest);
  const write = handle.writeFile.bind(handle);
  handle.writeFile = async (...given) => {
    change('write');
    const written = await write(...given);
    if (FAULT_AFTER !== '' && String(given[0]).includes(FAULT_AFTER)) process.kill(process.pid, 'SIGKILL');
    return written;
  };
  return handle;
};
syncBuiltinESMExports();
if (FAULT_COUNT !== '') process.on('exit', () => writeFileSync(FAULT_COUNT, String(count)));
