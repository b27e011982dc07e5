import { sveltekit } from '@sveltejs/kit/vite';
import { svelteTesting } from '@testing-library/svelte/vite';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  plugins: [tailwindcss(), sveltekit(), svelteTesting()],
  server: { proxy: { '/api': 'http://127.0.0.1:8640' } },
  build: { chunkSizeWarningLimit: 900 },
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
