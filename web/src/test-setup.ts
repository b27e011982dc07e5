import '@testing-library/jest-dom/vitest';
import { configure } from '@testing-library/svelte';
import { afterEach, vi } from 'vitest';

// What is waited for is a state, never a time: a slow machine is given long to reach it.
configure({ asyncUtilTimeout: 30_000 });

class NoResize {
  observe() {}
  unobserve() {}
  disconnect() {}
}
globalThis.ResizeObserver ??= NoResize as unknown as typeof ResizeObserver;

// Files share a room: a clock, a server or a store that one leaves behind would stand in the next.
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
  localStorage.clear();
});
