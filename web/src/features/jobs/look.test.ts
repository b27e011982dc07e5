import { describe, expect, it } from 'vitest';
import { lookOf } from './state/look';

describe('how sorties are told apart', () => {
  it('gives no two of seven the same colour and pattern together', () => {
    const looks = Array.from({ length: 7 }, (_, k) => JSON.stringify(lookOf(k + 1)));
    expect(new Set(looks).size).toBe(7);
  });
  it('gives neighbours another pattern, not only another colour', () => {
    for (let k = 1; k < 20; k++) {
      const [a, b] = [lookOf(k), lookOf(k + 1)];
      expect([a.dash.join(), a.width]).not.toEqual([b.dash.join(), b.width]);
    }
  });
});
