import { describe, expect, it } from 'vitest';
import { lookOf } from './state/look';
import { alike } from './words/lines';

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

describe('lines flown alike', () => {
  const line = (number: number, track_deg: number, ground_m_s: number, dose_l_ha: number | null = null) => ({
    number,
    track_deg,
    length_m: 100,
    ground_m_s,
    air_m_s: 7,
    power_w: 900,
    part: 0,
    tilt_deg: 0,
    dose_l_ha,
  });
  it('stand in one row by track, speeds and dose as they are shown', () => {
    const found = alike([line(1, 40.2, 5), line(2, 220.1, 4.2), line(3, 39.8, 5.02), line(4, 220, 4.2, 18)]);
    expect(found.map((g) => [g.first.number, g.count])).toEqual([
      [1, 2],
      [2, 1],
      [4, 1],
    ]);
  });
});
