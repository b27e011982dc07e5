import js from '@eslint/js';
import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';

const noCrossing = (from, names) =>
  names.map((name) => ({
    files: [`src/features/${name}/**`],
    rules: {
      'no-restricted-imports': [
        'error',
        { patterns: [...names.filter((n) => n !== name).map((n) => `$features/${n}/*`), '../../routes/*'] },
      ],
    },
    name: `${from} ${name}`,
  }));

export default ts.config(
  { ignores: ['.svelte-kit', 'build', 'src/shared/api/schema.d.ts'] },
  js.configs.recommended,
  ...ts.configs.recommended,
  ...svelte.configs.recommended,
  {
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { varsIgnorePattern: '^_', argsIgnorePattern: '^_' }],
    },
  },
  { languageOptions: { globals: { ...globals.browser } } },
  {
    files: ['**/*.svelte', '**/*.svelte.ts'],
    languageOptions: { parserOptions: { parser: ts.parser } },
    rules: { 'svelte/no-navigation-without-resolve': 'off' },
  },
  {
    files: ['src/shared/**'],
    rules: { 'no-restricted-imports': ['error', { patterns: ['$features/*'] }] },
  },
  ...noCrossing('features keep apart:', ['jobs', 'day', 'fleet', 'people']),
);
