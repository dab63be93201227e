/** Sources are ESM TypeScript; Jest runs them as CommonJS through swc, which needs no Node flag. */
export default {
  testEnvironment: 'node',
  globalSetup: '<rootDir>/test/support/build.mjs',
  roots: ['<rootDir>/test'],
  testMatch: ['**/*.test.ts'],
  transform: {
    '\\.(ts|js|mjs)$': [
      '@swc/jest',
      { jsc: { target: 'es2022', parser: { syntax: 'typescript' } }, module: { type: 'commonjs' } },
    ],
  },
  // These packages ship as ESM only.
  transformIgnorePatterns: [
    '/node_modules/(?!(p-limit|yocto-queue|wrap-ansi|string-width|strip-ansi|ansi-regex|ansi-styles|emoji-regex|get-east-asian-width)/)',
  ],
  testTimeout: 60_000,
};
