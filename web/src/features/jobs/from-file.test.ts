import { fireEvent, render, screen } from '@testing-library/svelte';
import { describe, expect, it, vi } from 'vitest';
import FromFile from './components/FromFile.svelte';
import { areasTaken, intoBox, preset, taken, usable, withPoint, type Boundary, type Choice } from './state/boundary';
import type { Job } from './state/draft.svelte';
import { turned } from './state/places';

const ring = (lon: number): [number, number][] => [
  [lon, 46],
  [lon + 0.01, 46],
  [lon + 0.01, 46.01],
];
const area = (name: string, lon: number, over: object = {}) => ({
  name,
  ring: ring(lon),
  holes: [],
  area_ha: 3.5,
  use: 'area',
  inside: null,
  fills_hole: false,
  touches: [],
  overlaps: [],
  problem: '',
  problem_at: null,
  source: '',
  bearing_deg: null,
  ...over,
});
const hole = (over: object = {}) => ({
  ring: ring(7.001),
  crossing: 'unworked',
  margin_m: 0,
  name: '',
  filled_by: null,
  ...over,
});
const FOUND = {
  name: 'Glebe',
  areas: [
    area('Glebe', 7, { holes: [hole(), hole({ filled_by: 1 })], touches: [2] }),
    area('Glebe', 7.1, { inside: 0, fills_hole: true }),
    area('', 7.2, { inside: 0, use: 'keep-out' }),
    area('Half', 7.3, { problem: '“Half” has 2 corners: too few.', use: 'nothing' }),
  ],
  lines: [{ name: 'duct', places: ring(7.4), length_m: 900, gap_m: 800, closed: false, width_m: 70 }],
  points: [
    { name: 'office', at: [2, 40], looks_like: 'nothing', away_m: 406_000, own: false, radius_m: null, top_m: null },
    { name: 'home', at: [7, 46], looks_like: 'home', away_m: 12, own: false, radius_m: null, top_m: null },
  ],
  keep_outs: [],
  notes: [{ did: 'found', words: 'In the file: 3 areas.', at: null }],
  home: [1, 1],
  home_stays: true,
} as unknown as Boundary;
const JOB = {
  areas: [{ ring: ring(1) }],
  keep_outs: [],
  home: null,
  site: { obstacles: [], fallbacks: [], homes: [], home_area: [], control: [], receiver: '' },
} as unknown as Job;

describe('what to take from a file', () => {
  it('offers all with what is put forward, tells what cannot be taken, and takes nothing of points and lines by itself', async () => {
    const onuse = vi.fn<(choice: Choice) => void>();
    render(FromFile, { file: 'glebe.kml', found: FOUND, replaces: true, onuse, oncancel: () => undefined });
    expect(screen.getAllByRole('combobox', { name: 'Take Glebe as' })).toHaveLength(2);
    expect(screen.getByRole('combobox', { name: 'Take area 3 as' })).toHaveValue('cross');
    expect(screen.getByRole('combobox', { name: 'Take Half as' })).toBeDisabled();
    expect(screen.getByText(/too few/)).toBeVisible();
    expect(screen.getByRole('combobox', { name: 'Take home as' })).toHaveValue('nothing');
    expect(screen.getByText('In the file: 3 areas.')).toBeVisible();
    await fireEvent.click(screen.getByRole('button', { name: 'Use this: 2 areas' }));
    expect(onuse).toHaveBeenCalledWith(preset(FOUND));
  });

  it('takes what was chosen: a filled hole is none, keep-outs keep their rule, home comes from the point', () => {
    const put = preset(FOUND);
    expect([areasTaken(put), put.lines, put.points]).toEqual([2, ['nothing'], ['nothing', 'nothing']]);
    const all = taken(FOUND, put, JOB);
    expect(all.areas!.map((a) => a.ring[0]![0])).toEqual([7, 7.1]);
    expect(all.keep_outs!.map((k) => [k.ring[0]![0], k.crossing])).toEqual([
      [7.001, 'unworked'],
      [7.2, 'unworked'],
    ]);
    expect(all.home).toEqual([1, 1]);
    const outer: Choice = { ...put, areas: ['area', 'nothing', 'nothing', 'nothing'], holes: 'never', margin: 5 };
    expect(taken(FOUND, outer, JOB).keep_outs!.map((k) => [k.crossing, k.margin_m])).toEqual([
      ['never', 5],
      ['never', 5],
    ]);
    const more = taken(FOUND, withPoint({ ...put, lines: ['corridor'], add: true }, 1, 'home'), JOB);
    expect(more.areas!.map((a) => a.corridor_m ?? null)).toEqual([null, null, null, 70]);
    expect(more.home).toEqual([7, 46]);
  });

  it('has one home, and obstacles get a size', () => {
    let choice = withPoint(withPoint(preset(FOUND), 0, 'home'), 1, 'home');
    expect(choice.points).toEqual(['nothing', 'home']);
    choice = withPoint(choice, 0, 'obstacle');
    expect(taken(FOUND, choice, JOB).site!.obstacles).toEqual([{ name: 'office', at: [2, 40], radius_m: 5, top_m: 20 }]);
  });

  it('takes shapes as sensitive places of a spraying job, and adds them without touching its areas', () => {
    const none: Choice = { ...preset(FOUND), areas: FOUND.areas.map(() => 'nothing'), lines: ['sensitive'], add: true };
    expect([areasTaken(none), usable(none, true), usable(none, false), usable({ ...none, add: false }, true)]).toEqual([
      0,
      true,
      false,
      false,
    ]);
    const put = taken(FOUND, withPoint({ ...none, areas: ['sensitive', 'nothing', 'nothing', 'nothing'] }, 0, 'sensitive'), JOB);
    expect([put.areas, put.home]).toEqual([JOB.areas, JOB.home]);
    expect(put.site!.sensitive!.map((s) => [s.closed, s.ring.length])).toEqual([
      [true, FOUND.areas[0]!.ring.length],
      [FOUND.lines[0]!.closed, FOUND.lines[0]!.places.length],
      [false, 1],
    ]);
  });

  it('turns a longitude to the one that is nearest', () => {
    expect([turned(-179.9, 179.9), turned(10, 20), turned(179, -179), turned(-180.5, 0)]).toEqual([
      expect.closeTo(180.1),
      10,
      -181,
      expect.closeTo(179.5),
    ]);
  });

  it('draws what crosses 180° as one piece', () => {
    const across = {
      ...FOUND,
      lines: [],
      areas: [
        area('t', 0, {
          ring: [
            [179.99, 0],
            [-179.99, 0],
            [179.99, 0.01],
          ],
        }),
      ],
    } as unknown as Boundary;
    const put = intoBox(across, 100, 50);
    expect(put([179.99, 0])[0]).toBeLessThan(put([-179.99, 0])[0]);
    expect(put([-179.99, 0])[0]).toBeLessThanOrEqual(100.001);
  });
});
