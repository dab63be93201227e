// Runs the built program inside the test process: loaded once a worker, outside the sandbox that each test file has.
import { TestEnvironment } from 'jest-environment-node';

const built = new URL('../../dist/dev/run-program.js', import.meta.url).href;

export default class extends TestEnvironment {
  async setup() {
    await super.setup();
    this.global.runBuilt = async (argv, io) => (await import(built)).runProgram(argv, io);
  }
}
