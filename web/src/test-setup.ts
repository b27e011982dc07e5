import '@testing-library/jest-dom/vitest';
import { configure } from '@testing-library/svelte';

// What is waited for is a state, never a time: a slow machine is given long to reach it.
configure({ asyncUtilTimeout: 30_000 });

class NoResize {
  observe() {}
  unobserve() {}
  disconnect() {}
}
globalThis.ResizeObserver ??= NoResize as unknown as typeof ResizeObserver;
