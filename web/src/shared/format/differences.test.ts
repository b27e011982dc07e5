import { describe, expect, it } from 'vitest';
import { differences } from './differences';

const WORDS = { areas: 'area', work: '', ring: '', keep_outs: 'keep-out', wind: 'wind' };
const tell = (mine: object, theirs: object) =>
  differences(mine as never, theirs as never, WORDS, 'metric').map((d) => `${d.what}: ${d.mine} | ${d.theirs}`);

describe('two versions of the same thing', () => {
  it('says figures with their units, and nothing that is the same', () => {
    expect(
      tell(
        { name: 'A', work: { speed_m_s: 10, height_m: 60, overlap_frac: 0.7 }, wind: { from_deg: 232, assumed: false } },
        { name: 'A', work: { speed_m_s: 8, height_m: 60, overlap_frac: 0.8 }, wind: { from_deg: 200, assumed: true } },
      ),
    ).toEqual(['speed: 10.0 m/s | 8.0 m/s', 'overlap: 70 % | 80 %', 'wind, from: 232° | 200°', 'wind, assumed: no | yes']);
  });

  it('names the piece that was changed, and lists where pieces came or went', () => {
    const ring = [
      [7, 46],
      [7.1, 46],
      [7.1, 46.1],
    ];
    const moved = [ring[0], [7.2, 46], ring[2]];
    expect(tell({ areas: [{ name: 'Top', ring }] }, { areas: [{ name: 'Top', ring: moved }] })).toEqual([
      'area Top: 3 corners, 1 elsewhere | 3 corners, 1 elsewhere',
    ]);
    expect(tell({ keep_outs: [{ name: 'Pond' }] }, { keep_outs: [] })).toEqual(['keep-out: 1: Pond | 0']);
  });

  it('never speaks in code, whatever it is given', () => {
    const odd = { a_b: { c: [{ x: 1 }, { x: 2 }] }, list: [1, 2], none: null, home: [7.1, 46.2], deep: { e: { f_m: 3 } } };
    const other = { a_b: { c: [{ x: 1 }, { x: 3 }] }, list: [1], none: 'set', home: [7.1, 46.3], deep: { e: { f_m: 4 } } };
    const said = tell(odd, other);
    expect(said).toHaveLength(5);
    for (const line of said) expect(line).not.toMatch(/\[object|undefined|null|_/);
  });
});
