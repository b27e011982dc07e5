import { describe, expect, it } from 'vitest';
import type { Result } from './api/call';
import type { Problem } from './api/client';
import { all, Pages, Resource, type Page } from './resource.svelte';

const REFUSED: Problem = { status: 500, code: 'unexpected', detail: 'It broke.', field: '' };
const good = <T>(data: T): Result<T> => ({ data, problem: null });
const bad = <T>(): Result<T> => ({ data: null, problem: REFUSED });

describe('what a screen asks for', () => {
  it('keeps what came before when asking again fails, and says so', async () => {
    const answers: Result<string[]>[] = [good(['a']), bad(), good([])];
    const seen: string[][] = [];
    const r = new Resource(
      async () => answers.shift()!,
      (v) => seen.push(v),
    );
    expect(r.value).toBeNull();
    await r.load();
    await r.load();
    expect([r.value, r.problem?.detail]).toEqual([['a'], 'It broke.']);
    await r.load();
    expect([r.value, r.problem, seen.length]).toEqual([[], null, 2]);
  });

  it('answers the newest question alone', async () => {
    const waits: ((v: Result<number>) => void)[] = [];
    const r = new Resource<number>(() => new Promise((done) => waits.push(done)));
    const [first, second] = [r.load(), r.load()];
    waits[1]!(good(2));
    waits[0]!(good(1));
    await Promise.all([first, second]);
    expect([r.value, r.busy]).toEqual([2, false]);
  });
});

describe('a list in pages', () => {
  const pages: Record<string, Page<number>> = {
    '': { items: [1, 2], next: 'x', total: 5 },
    x: { items: [3, 4], next: 'y', total: 5 },
    y: { items: [5], next: null, total: 5 },
  };

  it('grows by a page at a time to its end', async () => {
    const p = new Pages(async (cursor) => good(pages[cursor]!));
    await p.load();
    await p.more();
    expect([p.items, p.next, p.total]).toEqual([[1, 2, 3, 4], 'y', 5]);
    await p.more();
    await p.more();
    expect([p.items, p.next]).toEqual([[1, 2, 3, 4, 5], null]);
  });

  it('keeps its rows when the next page cannot be had', async () => {
    const p = new Pages(async (cursor) => (cursor ? bad<Page<number>>() : good(pages['']!)));
    await p.load();
    await p.more();
    expect([p.items, p.problem?.detail]).toEqual([[1, 2], 'It broke.']);
  });

  it('gives every row for a choice, or the refusal, never half of them', async () => {
    expect(await all(async (c) => good(pages[c]!))).toEqual(good([1, 2, 3, 4, 5]));
    expect(await all(async (c) => (c === 'y' ? bad<Page<number>>() : good(pages[c]!)))).toEqual(bad());
  });
});
