import { describe, expect, it } from 'vitest';
import { rowOfVolts, shown, volts } from './state/entry';
import { arranged, recordOf, type Line } from './state/shelf.svelte';

describe('volts typed with gloves', () => {
  it('put the point behind the first digit', () => {
    expect([volts('397'), volts('41'), volts('4185'), volts('3'), volts('')]).toEqual([3.97, 4.1, 4.185, null, null]);
    expect([shown(''), shown('3'), shown('397')]).toEqual(['', '3', '3.97']);
  });

  it('are read from a typed row, with point, comma or neither', () => {
    expect(rowOfVolts(' 3.85 3,84  384 ')).toEqual([3.85, 3.84, 3.84]);
    expect(rowOfVolts('3.85 x')).toEqual([3.85, null]);
    expect(rowOfVolts('')).toEqual([]);
    expect(rowOfVolts('23.1')).toEqual([23.1]);
  });
});

const line = (name: string, more: Partial<Line> = {}): Line => ({
  id: name,
  version: 1,
  archived: false,
  name,
  model: 'K6',
  model_id: 'm',
  mates: '',
  level: 'in service',
  words: '',
  may_override: true,
  charge_frac: 0.6,
  health_frac: 1,
  health_measured: true,
  cycles: 10,
  flights: 1,
  tasks: [],
  ...more,
});

describe('the shelf', () => {
  const packs = [
    line('10', { level: 'watch', cycles: 90 }),
    line('2', { charge_frac: 1, model_id: 'n', mates: 'P' }),
    line('1', { level: 'grounded', words: 'swollen', health_frac: 0.8 }),
  ];
  const names = (rows: Line[]) => rows.map((p) => p.name).join(' ');

  it('sorts by number as people count, and by each figure', () => {
    expect(names(arranged(packs, '', '', [], 'name'))).toBe('1 2 10');
    expect(names(arranged(packs, '', '', [], 'verdict'))).toBe('1 10 2');
    expect(names(arranged(packs, '', '', [], 'charge'))).toBe('2 1 10');
    expect(names(arranged(packs, '', '', [], 'capacity'))).toBe('1 2 10');
    expect(names(arranged(packs, '', '', [], 'cycles'))).toBe('10 1 2');
  });

  it('filters by every word, by model and by verdict', () => {
    expect(names(arranged(packs, 'swol', '', [], 'name'))).toBe('1');
    expect(names(arranged(packs, 'set p', '', [], 'name'))).toBe('2');
    expect(names(arranged(packs, 'k6 watch', '', [], 'name'))).toBe('10');
    expect(names(arranged(packs, '', 'n', [], 'name'))).toBe('2');
    expect(names(arranged(packs, '', '', ['watch', 'grounded'], 'name'))).toBe('1 10');
    expect(arranged(packs, 'nothing like it', '', [], 'name')).toEqual([]);
  });

  it('gives every record a key of its own', () => {
    const [a, b] = [recordOf('storage', { charge_frac: 0.5 }), recordOf('storage', { charge_frac: 0.5 })];
    expect(a.key).not.toBe(b.key);
    expect(a).toMatchObject({ kind: 'storage', figures: { charge_frac: 0.5 }, note: '' });
  });
});
