import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { notices } from './notices.svelte';

describe('notices', () => {
  beforeEach(() => vi.useFakeTimers());
  afterEach(() => {
    for (const n of notices.list) notices.drop(n.id);
    vi.useRealTimers();
  });

  it('go away by themselves, later where something can be taken back', () => {
    notices.say('Kept.');
    notices.say('Taken.', { undo: () => {} });
    vi.advanceTimersByTime(5_000);
    expect(notices.list.map((n) => n.text)).toEqual(['Taken.']);
    vi.advanceTimersByTime(7_000);
    expect(notices.list).toEqual([]);
  });

  it('stay while somebody is at them', () => {
    notices.say('Taken.', { undo: () => {} });
    notices.hold(true);
    vi.advanceTimersByTime(60_000);
    expect(notices.list).toHaveLength(1);
    notices.hold(false);
    vi.advanceTimersByTime(3_000);
    expect(notices.list).toEqual([]);
  });

  it('do not hold the next one when they are closed under the pointer', () => {
    notices.say('Taken.', { undo: () => {} });
    notices.hold(true);
    notices.drop(notices.list[0]!.id);
    notices.say('Kept.');
    vi.advanceTimersByTime(5_000);
    expect(notices.list).toEqual([]);
  });
});
