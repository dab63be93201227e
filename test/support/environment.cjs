// Runs the built program inside the test process: loaded once a worker, outside the sandbox that each test file has, where `import` works.
const { pathToFileURL } = require('node:url');
const { join } = require('node:path');
const { TestEnvironment } = require('jest-environment-node');

const built = pathToFileURL(join(__dirname, '../../dist/dev/run-program.js')).href;

module.exports = class extends TestEnvironment {
  async setup() {
    await super.setup();
    this.global.runBuilt = async (argv, io) => (await import(built)).runProgram(argv, io);
  }
};
