import { describe, expect, it } from 'vitest';
import { bearing, inWords, measure } from './measure';

describe('what is being drawn', () => {
  it('has the bearings of the compass', () => {
    const from = [7, 46];
    for (const [to, want] of [
      [[7, 46.1], 0],
      [[7.001, 46], 90],
      [[7, 45.9], 180],
      [[6.999, 46], 270],
    ] as [number[], number][])
      expect(Math.abs(bearing(from, to) - want)).toBeLessThan(0.01);
  });

  it('measures a minute of latitude as a sea mile, and the area of a square of them', () => {
    const line = measure(
      [
        [7, 0],
        [7, 1 / 60],
      ],
      false,
    )!;
    // A minute of arc on the mean sphere (IUGG mean radius 6371.0088 km): 1853.2 m.
    expect(line.leg_m).toBeCloseTo(1853.25, 0);
    expect(line.area_ha).toBeNull();
    const m = 1 / 60;
    const square = measure(
      [
        [7, 0],
        [7 + m, 0],
        [7 + m, m],
        [7, m],
      ],
      true,
    )!;
    expect(square.area_ha! / ((1853.25 * 1853.25) / 10_000)).toBeCloseTo(1, 3);
    expect(square.length_m / (4 * 1853.25)).toBeCloseTo(1, 4);
  });

  it('says nothing before there is a leg, and area only of an area', () => {
    expect(measure([[7, 46]], true)).toBeNull();
    const two = measure(
      [
        [7, 46],
        [7.001, 46],
      ],
      true,
    )!;
    expect(inWords(two, 'metric')).toMatch(/^leg 77 m at 90°, all 77 m$/);
    const three = measure(
      [
        [7, 46],
        [7.001, 46],
        [7.001, 46.001],
      ],
      true,
    )!;
    expect(inWords(three, 'metric')).toMatch(/^leg 111 m at 0°, round 32\d m, area 0.4\d? ha$/);
    expect(inWords(three, 'imperial')).toMatch(/ft|mi/);
  });
});
