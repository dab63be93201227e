import tseslint from 'typescript-eslint';

export default tseslint.config(
  { ignores: ['dist', 'node_modules', 'coverage'] },
  ...tseslint.configs.strict,
  {
    files: ['src/**/*.ts', 'src/**/*.tsx', 'test/**/*.ts', 'bench/**/*.ts'],
    languageOptions: { parserOptions: { projectService: true } },
    rules: {
      '@typescript-eslint/no-floating-promises': 'error',
      '@typescript-eslint/no-misused-promises': 'error',
      '@typescript-eslint/switch-exhaustiveness-check': 'error',
      '@typescript-eslint/consistent-type-imports': 'error',
      '@typescript-eslint/no-non-null-assertion': 'error',
      eqeqeq: 'error',
      'max-depth': ['error', 3],
      'no-console': 'error',
    },
  },
  {
    // The core is pure: no Node module, no clock, no chance, no console. test/core-is-pure.test.ts proves it by running it.
    files: ['src/core/**/*.ts'],
    rules: {
      'no-restricted-imports': [
        'error',
        {
          patterns: [
            { regex: '^node:|\\.\\./(adapters|use-cases|builtin|cli|demo)/', message: 'core imports core only' },
          ],
        },
      ],
      'no-restricted-globals': ['error', 'process', 'Buffer', 'setTimeout', 'setInterval', 'fetch', 'performance'],
      'no-restricted-syntax': [
        'error',
        { selector: 'NewExpression[callee.name="Date"][arguments.length=0]', message: 'the core has no clock' },
        { selector: 'MemberExpression[object.name="Date"][property.name="now"]', message: 'the core has no clock' },
        { selector: 'MemberExpression[object.name="Math"][property.name="random"]', message: 'the core has no dice' },
      ],
    },
  },
);
