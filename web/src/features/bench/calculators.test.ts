import { describe, expect, it } from 'vitest';
import { bodyOf, TOOLS } from './calculators';

const start = (name: string) => {
  const tool = TOOLS.find((t) => t.name === name)!;
  return { tool, typed: Object.fromEntries(tool.fields.map((f) => [f.key, f.start])) as Record<string, unknown> };
};

describe('what is typed at the bench', () => {
  it('becomes volts and ohms cell by cell', () => {
    const { tool, typed } = start('sustainable-current');
    const cells = bodyOf(tool, typed).cell_ohm as number[];
    expect(cells.map((c) => Math.round(c * 1e5))).toEqual([742, 755, 738, 761]);
    const test = start('load-test');
    expect(bodyOf(test.tool, { ...test.typed, cell_volts: '3,9 3.8' }).cell_volts).toEqual([3.9, 3.8]);
    expect(bodyOf(test.tool, { ...test.typed, cell_volts: '' })).not.toHaveProperty('cell_volts');
  });

  it('reads tables line by line, a dash for what was not read', () => {
    const { tool, typed } = start('alarm-levels');
    const readings = bodyOf(tool, typed).readings as { at_s: number; loaded_v: number | null }[];
    expect(readings[0]).toEqual({ at_s: 0, rest_v: 16.72, loaded_v: null });
    expect(readings[4]).toEqual({ at_s: 720, rest_v: 14.98, loaded_v: 14.42 });
    expect(() => bodyOf(tool, { ...typed, readings: '0 twelve' })).toThrow('readings');
  });

  it('keeps the two offers apart and leaves out what is not known', () => {
    const { tool, typed } = start('compare-packs');
    const body = bodyOf(tool, { ...typed, 'b.flights_count': null }) as Record<string, Record<string, unknown>>;
    expect(body.a).toMatchObject({ name: 'K6 16 Ah', price_count: 349 });
    expect(body.b).not.toHaveProperty('flights_count');
  });
});

describe('the figures that stand there first', () => {
  // Check values of common practice (no source): they prove the arithmetic in tests and are nobody's example.
  const CHECKS: Record<string, (string | number)[]> = {
    'sustainable-current': ['11.68', '11.92', '11.6', '8.08', 1.5, 1.85, 45, 100, 0.0393],
    'charge-back': ['1569', '8', 1.8],
    'alarm-levels': ['12.5', '11.1', '10.5', '11.5', '12.1', '11.0', '10.9', 3],
  };
  it.each(Object.entries(CHECKS))('%s has an example of its own', (name, checks) => {
    const { tool } = start(name);
    const figures = tool.fields.flatMap((f) => (typeof f.start === 'string' ? f.start.split(/\s+/) : [f.start]));
    expect(figures.filter((f) => checks.includes(f as string | number))).toEqual([]);
  });
});
