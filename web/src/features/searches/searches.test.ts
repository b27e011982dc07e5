import { describe, expect, it } from 'vitest';
import type { Schemas } from '$shared/api/client';
import { stepOf } from './map/search-map';
import { passesOf, segmentsOf, untilAt, whatOf, withinOf, withinText } from './what';

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

describe('the hour that counts', () => {
  it('is the next such hour of the company, whatever the device or the date', () => {
    const late = new Date('2031-03-29T22:30:00Z');
    expect(untilAt('23:45', late, 'Europe/London')).toBe('2031-03-29T23:45');
    expect(untilAt('01:30', late, 'Europe/London')).toBe('2031-03-30T01:30');
    expect(untilAt('22:30', late, 'Europe/London')).toBe('2031-03-30T22:30');
    expect(untilAt('08:00', new Date('2031-12-31T23:30:00Z'), 'Asia/Tokyo')).toBe('2032-01-02T08:00');
    expect(untilAt('', late)).toBe('');
  });
});

describe('tables that people type', () => {
  it('are read whatever parts their numbers, lines without both left out', () => {
    expect(withinOf('25 300\n50 %; 600 m\n\n95\n95 2400,5')).toEqual([
      [0.25, 300],
      [0.5, 600],
      [0.95, 2400.5],
    ]);
    expect(withinOf(withinText([[0.25, 300]]))).toEqual([[0.25, 300]]);
  });
  it('of passes say yes in several ways, and anything else is no', () => {
    expect(passesOf('12 yes\n-35 no\n40,5 Seen\n51 missed\nnothing')).toEqual([
      [12, true],
      [35, false],
      [40.5, true],
      [51, false],
    ]);
  });
});

describe('outlines of a file as segments', () => {
  const area = (name: string, over = {}) => ({ name, ring: [], holes: [], problem: '', ...over });
  it('get names that no other has, and say what was left out', () => {
    const file = {
      areas: [area('Wood'), area('Wood', { holes: [{}] }), area('Bog', { problem: 'It crosses itself.' }), area('')],
      lines: [{}],
      points: [],
    };
    const { segments, notes } = segmentsOf(file as never, [{ name: 'Wood' }]);
    expect(segments.map((s) => s.name)).toEqual(['Wood 2', 'Wood 3', '4']);
    expect(notes).toEqual([
      'Wood 3 had 1 holes; they count as part of it.',
      'Bog was left out: It crosses itself.',
      '1 lines and 0 points of it were left out.',
    ]);
    expect(segmentsOf({ areas: [], lines: [], points: [] } as never, []).notes).toEqual(['It holds no outline.']);
  });
});
