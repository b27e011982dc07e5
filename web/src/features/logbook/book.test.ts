import { describe, expect, it, vi } from 'vitest';
import {
  againstPlan,
  COMPARED,
  dayAndClock,
  daysBefore,
  FIGURES,
  grouped,
  lessonFigure,
  recordWords,
  signed,
  tellsDate,
  type Entry,
} from './words/book';
import { bedsOf, beside, clock, moved, places, zoomed } from './components/curves';

vi.mock('uplot', () => ({ default: class {} }));

const entry = (more: Partial<Entry> = {}): Entry =>
  ({ id: 'a', date: '2031-05-06', packs: ['02'], job_id: null, job: '', length_s: 600, ...more }) as Entry;

describe('the book', () => {
  it('puts flights under their day, job or packs, each once', () => {
    const all = [
      entry(),
      entry({ id: 'b', packs: ['10'], job_id: 'j', job: 'Top field' }),
      entry({ id: 'c', date: null, packs: [] }),
    ];
    expect(grouped(all, 'day').map((g) => [g.name, g.entries.length, g.flown_s])).toEqual([
      ['Tue, 6 May 2031', 2, 1200],
      ['Not known when', 1, 600],
    ]);
    expect(grouped(all, 'job').map((g) => g.name)).toEqual(['No job', 'Top field']);
    expect(grouped(all, 'pack').map((g) => g.name)).toEqual(['02', '10', 'Pack not known']);
  });

  it('says how a flight kept to its plan', () => {
    expect(againstPlan({ planned_s: null, length_s: 1 })).toBe('');
    expect(againstPlan({ planned_s: 600, length_s: 609 })).toBe('as planned');
    expect(againstPlan({ planned_s: 600, length_s: 725 })).toBe('+2:05');
    expect(againstPlan({ planned_s: 600, length_s: 500 })).toBe('−1:40');
  });

  it('writes figures with the unit in which people read them', () => {
    expect(['W', 'Ah', 'Ω', 's', '×'].map((u) => lessonFigure(u === 'Ω' ? 0.00252 : 240, u))).toEqual([
      '240 W',
      '240.00 Ah',
      '2.52 mΩ',
      '4:00 min',
      '× 240.00',
    ]);
    expect(
      FIGURES.flatMap((g) => g.rows)
        .find((r) => r.key === 'min_per_percent')!
        .text(0.325, 'metric'),
    ).toBe('19.5 s');
    expect(COMPARED.spread_v!.text(0.0213, 'metric')).toBe('21');
    expect(dayAndClock(null)).toBe('not known when');
    expect(daysBefore('2031-03-02', 3)).toBe('2031-02-27');
  });

  it('tells a charge or a test in a line', () => {
    const kept = (kind: string, figures: Record<string, unknown>) =>
      recordWords({ kind, figures, key: '', at: '', pack: '', pack_id: '', who: '', note: '' } as never, 'metric');
    expect(kept('charge', { from_frac: 0.3, to_frac: 1, put_back_ah: 10.5, charged_s: 2700, mode: 'fast' })).toBe(
      '30 % → 100 %, 10\u202f500 mAh put back, in 45:00 min, fast',
    );
    expect(kept('resistance', { cell_ohm: [0.0021, 0.0022], pack_c: 20 })).toBe('resistance, 2.1 · 2.2 mΩ, at 20 °C');
    expect(kept('load test', { total_v: 22.4 })).toBe('load test, 22.40 V');
  });
});

describe('words of figures and clocks', () => {
  it('write a difference with its sign, and nothing as nothing', () => {
    expect(['1.4', '-1.4', '−1:32', '-0.0', '0.00', '-4.0 %'].map(signed)).toEqual([
      '+1.4',
      '−1.4',
      '−1:32',
      '0.0',
      '0.00',
      '−4.0 %',
    ]);
  });

  it('know a clock that tells the date from one that only counts', () => {
    const dated = [
      '2025-05-17 08:20:11',
      '12/04/2025 23:49:20,0',
      '20250714T010500Z',
      '1748874710.0',
      '1761652056000',
      '21.03.2025',
    ];
    expect(dated.map(tellsDate)).toEqual(dated.map(() => true));
    expect(['52310', '1874.6', '10:02:15', ''].map(tellsDate)).toEqual([false, false, false, false]);
  });
});

describe('curves', () => {
  it('write the words of events where they cover no other', () => {
    const event = (words: string, at: number) => ({ event: { words }, at });
    const sides = (all: [string, number][], width = 800) =>
      beside(
        all.map(([w, at]) => event(w, at)),
        width,
      ).map((e) => `${e.side}${e.row || ''}`);
    expect(sides([['low', 100]])).toEqual(['start']);
    expect(sides([['battery critical', 780]])).toEqual(['end']);
    expect(
      sides([
        ['Akku fast leer', 700],
        ['Akku schwach', 610],
        ['knee', 600],
      ]),
    ).toEqual(['end', 'start1', 'end1']);
    expect(
      sides([
        ['critical', 500],
        ['another', 502],
        ['a third', 504],
        ['a fourth', 506],
        ['a fifth', 508],
      ]).filter((side) => !side),
    ).not.toEqual([]);
    expect(
      sides([
        ['low', 300],
        ['critical', 400],
      ]),
    ).toEqual(['start', 'start']);
  });

  it('zoom about a time and never leave the flight', () => {
    expect(zoomed({ from: 0, to: 100 }, 100, 50, 0.5)).toEqual({ from: 25, to: 75 });
    expect(zoomed({ from: 0, to: 100 }, 100, 0, 0.5)).toEqual({ from: 0, to: 50 });
    expect(zoomed({ from: 20, to: 30 }, 100, 25, 100)).toEqual({ from: 0, to: 100 });
    expect(zoomed({ from: 20, to: 22 }, 100, 21, 0.01).to - zoomed({ from: 20, to: 22 }, 100, 21, 0.01).from).toBe(2);
    expect(moved({ from: 80, to: 100 }, 100, 30)).toEqual({ from: 80, to: 100 });
    expect(moved({ from: 80, to: 100 }, 100, -90)).toEqual({ from: 0, to: 20 });
  });

  it('draw what the log tells: each cell, else the pack by its cells', () => {
    const each = bedsOf({ cell_10_v: [], cell_2_v: [], left_frac: [] }, 0, true);
    expect(each.map((b) => b.id)).toEqual(['cells', 'percent']);
    expect(each[0]!.lines.map((l) => l.label)).toEqual(['cell 2', 'cell 10']);
    const total = bedsOf({ pack_v: [], pack_c: [], height_m: [], current_a: [] }, 6, false);
    expect(total.map((b) => b.label)).toEqual(['V, mean cell', 'A', '°F', 'ft up']);
    expect(total[0]!.scale(24)).toBe(4);
    expect(total[1]!.scale(-20)).toBe(20);
    expect(bedsOf({}, 6, true)).toEqual([]);
  });

  it('write ticks so that no two read the same', () => {
    expect(places([55, 55.5], 0)).toBe(1);
    expect(places([3.75, 3.8], 2)).toBe(2);
    expect(places([0, 20], 0)).toBe(0);
    expect(clock(754.6)).toBe('12:34.6');
  });
});
