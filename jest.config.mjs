export default {
  testEnvironment: '<rootDir>/test/support/environment.mjs',
  testSequencer: '<rootDir>/test/support/sequencer.mjs',
  globalSetup: '<rootDir>/test/support/build.mjs',
  roots: ['<rootDir>/test'],
  testMatch: ['**/*.test.ts'],
  // What takes minutes by itself is for `npm run thorough`.
  testPathIgnorePatterns: process.env.EVERY_CHANGE === '1' ? [] : ['/test/long/'],
  transform: { '\\.(ts|js|mjs)$': '<rootDir>/test/support/transform.mjs' },
  // These packages ship as ESM only.
  transformIgnorePatterns: [
    '/node_modules/(?!(p-limit|yocto-queue|wrap-ansi|string-width|strip-ansi|ansi-regex|ansi-styles)/)',
  ],
  // Prettier formats what Jest writes; Jest itself cannot drive this version of it.
  prettierPath: null,
  // On two cores: much of a test's time is spent waiting for servers.
  maxWorkers: 3,
  testTimeout: 180_000,
};
