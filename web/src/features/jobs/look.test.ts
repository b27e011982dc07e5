import { describe, expect, it } from 'vitest';
import { lookOf } from './state/look';
import { alike, asFlown } from './words/lines';

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

describe('how a line is flown', () => {
  const line = {
    number: 1,
    track_deg: 0,
    length_m: 9,
    ground_m_s: 2,
    air_m_s: 2,
    power_w: 900,
    part: 2,
    tilt_deg: 65,
    above_m: 12,
  };
  it('names pass, height and camera where they are its own', () => {
    expect(asFlown(line, 'Shed', (m) => `${m} m`)).toBe('Shed, 12 m, camera 25° below the horizon');
    expect(asFlown({ ...line, part: 0, tilt_deg: 0, above_m: null }, '', String)).toBe('');
    expect(alike([line, { ...line, number: 2, part: 0 }])).toHaveLength(2);
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
