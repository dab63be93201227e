// Runs the built program inside the test process: loaded once a worker, outside the sandbox that each test file has.
import { rmSync } from 'node:fs';
import { TestEnvironment } from 'jest-environment-node';

const built = new URL('../../dist/dev/run-program.js', import.meta.url).href;

/** A test that failed did not stop what it started. What does not stop by itself either is killed. */
function endOf(child) {
  if (child.exitCode !== null || child.signalCode !== null) return undefined;
  return new Promise((resolve) => {
    const limit = setTimeout(() => child.kill('SIGKILL'), 10_000);
    child.once('close', () => {
      clearTimeout(limit);
      resolve();
    });
    child.kill('SIGINT');
  });
}

export default class extends TestEnvironment {
  async setup() {
    await super.setup();
    this.global.runBuilt = async (argv, io) => (await import(built)).runProgram(argv, io);
    this.global.foldersOfTests = [];
    this.global.programsOfTests = [];
  }

  /** After every hook of the test file: what runs there is ended by what lies there. */
  async teardown() {
    await Promise.all(this.global.programsOfTests.map(endOf));
    for (const folder of this.global.foldersOfTests) rmSync(folder, { recursive: true, force: true });
    await super.teardown();
  }
}
