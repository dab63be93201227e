import { closeSync, fsyncSync, openSync, readFileSync, renameSync, rmSync, writeSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { Script } from 'node:vm';
import { crc32 } from 'node:zlib';

/** Tells this build from every other one, so that nothing compiled from another is taken for it. */
declare const MILE_MARKER_BUILD: string;

type Wrapped = (
  exports: object,
  require: NodeJS.Require,
  module: { exports: object },
  file: string,
  folder: string,
) => void;

/**
 * Runs a CommonJS module in its wrapper (Node.js, "The module wrapper"), all in ASCII, compiled as it was the last time, which saves a third of a short
 * command. What is compiled lies beside the module and belongs to whoever may write there, as the module itself does: nobody else can slip code in. Where it
 * cannot be written, or is of another Node, everything works just as well and takes longer.
 *
 * @param command what is compiled for each command is kept apart, since each uses other parts of the module
 */
export function loadCompiled(file: string, command: string): void {
  const source = readFileSync(file, 'latin1');
  const known = /^[a-z]{1,20}$/.test(command) ? command : 'other';
  const kept = join(dirname(file), `compiled-${known}-${process.version}-${process.arch}-${MILE_MARKER_BUILD}.bin`);
  const cachedData = read(kept);
  const script = new Script(source, { filename: file, ...(cachedData === null ? {} : { cachedData }) });
  const module = { exports: {} };
  (script.runInThisContext() as Wrapped)(module.exports, createRequire(file), module, file, dirname(file));
  // With all that the command has used by then.
  if (cachedData === null || script.cachedDataRejected === true)
    process.once('exit', () => keep(kept, script.createCachedData()));
}

/** Null when it is not there, or not as it was written: V8 takes what it is given, and one wrong byte ends the process. */
function read(path: string): Buffer | null {
  try {
    const bytes = readFileSync(path);
    const data = bytes.subarray(sumBytes);
    return bytes.readUInt32LE() === crc32(data) ? data : null;
  } catch {
    return null;
  }
}

const sumBytes = 4;

/** Whole and durable, or not at all: half of it would be taken for code. */
function keep(path: string, data: Buffer): void {
  const fresh = `${path}.${String(process.pid)}`;
  try {
    // Before Node 20.15 there is no such function, and nothing is kept.
    const sum = Buffer.alloc(sumBytes);
    sum.writeUInt32LE(crc32(data));
    const file = openSync(fresh, 'wx', 0o644);
    try {
      writeSync(file, Buffer.concat([sum, data]));
      fsyncSync(file);
    } finally {
      closeSync(file);
    }
    renameSync(fresh, path);
  } catch {
    rmSync(fresh, { force: true });
  }
}
