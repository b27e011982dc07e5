import { sveltekit } from '@sveltejs/kit/vite';
import { svelteTesting } from '@testing-library/svelte/vite';
import tailwindcss from '@tailwindcss/vite';
import type { Plugin } from 'vite';
import { defineConfig } from 'vitest/config';

// What many screens share comes in few files: each one costs a device with a slow link a round of its own.
const fewFiles: Plugin = {
  name: 'few-files',
  configEnvironment: (name) =>
    name === 'client'
      ? { build: { rolldownOptions: { output: { codeSplitting: { groups: [{ name: 'shared', minShareCount: 14 }] } } } } }
      : null,
};

export default defineConfig({
  plugins: [tailwindcss(), sveltekit(), svelteTesting(), fewFiles],
  server: { proxy: { '/api': 'http://127.0.0.1:8640' } },
  build: {
    chunkSizeWarningLimit: 900,
  },
  test: {
    environment: 'jsdom',
    css: true,
    include: ['src/**/*.test.ts'],
    setupFiles: ['src/test-setup.ts'],
    isolate: false,
    testTimeout: 120_000,
    hookTimeout: 120_000,
  },
});
