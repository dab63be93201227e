// Runs the built program inside the test process: loaded once a worker, outside the sandbox that each test file has.
import { rmSync } from 'node:fs';
import { TestEnvironment } from 'jest-environment-node';

const built = new URL('../../dist/dev/run-program.js', import.meta.url).href;

export default class extends TestEnvironment {
  async setup() {
    await super.setup();
    this.global.runBuilt = async (argv, io) => (await import(built)).runProgram(argv, io);
    this.global.foldersOfTests = [];
  }

  /** After every hook of the test file: what runs there is ended by what lies there. */
  async teardown() {
    for (const folder of this.global.foldersOfTests) rmSync(folder, { recursive: true, force: true });
    await super.teardown();
  }
}
