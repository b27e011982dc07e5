import { describe, expect, it } from 'vitest';
import type { Schemas } from '$shared/api/client';
import { stepOf } from './map/search-map';
import { whatOf } from './what';

describe('shades of segments', () => {
  it('fall in four steps by what a hectare holds against the fullest', () => {
    expect([0, 0.02, 0.1, 0.3, 0.7, 1].map((d) => stepOf(d, 1))).toEqual([0, 0, 1, 2, 3, 3]);
    expect(stepOf(0.5, 0)).toBe(0);
  });
});

describe('a search on its way back to the server', () => {
  it('keeps what people entered and drops what follows from it', () => {
    const segment = { id: 's1', name: '1', ring: [], cover: 'wood', access: 'gate', hazards: '', typed: 0.2, share_frac: 0.5 };
    const search = { id: 'x', name: 'Fell', point: [7, 46], segments: [segment], success_frac: 0.3, until: '' };
    const what = whatOf(search as unknown as Schemas['SearchOut']);
    expect(what.segments[0]).toEqual({ id: 's1', name: '1', ring: [], cover: 'wood', access: 'gate', hazards: '', share: 0.2 });
    expect(what.point).toEqual([7, 46]);
    expect('success_frac' in what).toBe(false);
  });
});
