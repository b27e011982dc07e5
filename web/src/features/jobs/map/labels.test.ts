import { describe, expect, it } from 'vitest';
import { settle, type Box, type Label } from './labels';

function boxes(labels: Label[], spots: ReturnType<typeof settle>): Box[] {
  return labels.flatMap((l, k) => {
    const spot = spots[k];
    if (!spot) return [];
    const [x, y] = [l.x + spot[0], l.y + spot[1]];
    return [{ left: x - l.width / 2, right: x + l.width / 2, top: y - l.height / 2, bottom: y + l.height / 2 }];
  });
}

const overlap = (a: Box, b: Box) =>
  Math.min(a.right, b.right) - Math.max(a.left, b.left) > 1e-6 && Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top) > 1e-6;

function draws(seed: number) {
  let r = seed * 7919 + 13;
  return (most: number) => (r = (r * 1103515245 + 12345) % 2147483648) % most;
}

describe('the words of a map', () => {
  it('never stand over one another, however close their places are', () => {
    for (let seed = 1; seed <= 200; seed++) {
      const draw = draws(seed);
      const labels: Label[] = Array.from({ length: 2 + draw(30) }, () => ({
        x: draw(400),
        y: draw(300),
        width: 20 + draw(160),
        height: 18 + draw(8),
        gap: 8,
        weight: draw(4),
        spare: draw(2) === 0,
        toward: [draw(3) - 1, draw(3) - 1],
        on: draw(8) === 0,
      }));
      const there = boxes(labels, settle(labels, []));
      for (let a = 0; a < there.length; a++)
        for (let b = a + 1; b < there.length; b++) expect(overlap(there[a]!, there[b]!), `seed ${seed}`).toBe(false);
    }
  });

  it('keep off the signs of other places where there is room', () => {
    const signs = [{ left: 90, right: 110, top: 70, bottom: 90 }];
    const label: Label = { x: 100, y: 100, width: 60, height: 20, gap: 10, weight: 1 };
    const [box] = boxes([label], settle([label], signs));
    expect(overlap(box!, signs[0]!)).toBe(false);
  });

  it('are left away only where they may be; the weightier chooses first', () => {
    const crowd = (spare: boolean): Label[] =>
      Array.from({ length: 60 }, () => ({ x: 100, y: 100, width: 120, height: 20, gap: 8, weight: 0, spare }));
    const home: Label = { x: 100, y: 100, width: 40, height: 20, gap: 8, weight: 9, toward: [0, 1] };
    const spots = settle([...crowd(true), home], []);
    expect(spots.at(-1)).toEqual([0, 18]);
    expect(spots.filter((s) => s === null).length).toBeGreaterThan(0);
    expect(settle([home, { ...home, weight: 1 }], []).every((s) => s !== null)).toBe(true);
  });
});
