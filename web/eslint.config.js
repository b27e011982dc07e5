import js from '@eslint/js';
import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';
import { readdirSync } from 'node:fs';

const features = readdirSync(new URL('./src/features', import.meta.url));
/** A rehearsal is a day run in a simulated world: it draws the day and takes the calls with what those screens are made of. */
const builtOn = { rehearse: ['day', 'live'] };

const others = (name) =>
  features.filter((other) => other !== name && !builtOn[name]?.includes(other)).map((other) => `$features/${other}/**`);
const wall = (name, files, patterns) => ({
  name: `features keep apart: ${name}`,
  files: [`src/features/${name}/${files}`],
  rules: { 'no-restricted-imports': ['error', { patterns: [...others(name), ...patterns] }] },
});
const apart = features.flatMap((name) => [
  wall(name, '*', ['../*/*', '!../../*', '../../routes/*']),
  wall(name, '*/**', ['../../*/*', '!../../../*', '../../../routes/*']),
]);

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
  ...apart,
);
