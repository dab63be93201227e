export default {
  testEnvironment: '<rootDir>/test/support/environment.mjs',
  globalSetup: '<rootDir>/test/support/build.mjs',
  roots: ['<rootDir>/test'],
  testMatch: ['**/*.test.ts'],
  transform: { '\\.(ts|js|mjs)$': '<rootDir>/test/support/transform.mjs' },
  // These packages ship as ESM only.
  transformIgnorePatterns: [
    '/node_modules/(?!(p-limit|yocto-queue|wrap-ansi|string-width|strip-ansi|ansi-regex|ansi-styles)/)',
  ],
  // Prettier formats what Jest writes; Jest itself cannot drive this version of it.
  prettierPath: null,
  testTimeout: 180_000,
};
