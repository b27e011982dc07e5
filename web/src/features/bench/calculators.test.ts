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
    expect(cells.map((c) => Math.round(c * 1e5))).toEqual([1168, 1192, 1160]);
    const test = start('load-test');
    expect(bodyOf(test.tool, { ...test.typed, cell_volts: '3,9 3.8' }).cell_volts).toEqual([3.9, 3.8]);
    expect(bodyOf(test.tool, { ...test.typed, cell_volts: '' })).not.toHaveProperty('cell_volts');
  });

  it('reads tables line by line, a dash for what was not read', () => {
    const { tool, typed } = start('alarm-levels');
    const readings = bodyOf(tool, typed).readings as { at_s: number; loaded_v: number | null }[];
    expect(readings[0]).toEqual({ at_s: 0, rest_v: 12.5, loaded_v: null });
    expect(readings[4]).toEqual({ at_s: 480, rest_v: 11.1, loaded_v: 10.5 });
    expect(() => bodyOf(tool, { ...typed, readings: '0 twelve' })).toThrow('readings');
  });

  it('keeps the two offers apart and leaves out what is not known', () => {
    const { tool, typed } = start('compare-packs');
    const body = bodyOf(tool, { ...typed, 'b.flights_count': null }) as Record<string, Record<string, unknown>>;
    expect(body.a).toMatchObject({ name: 'K6 16 Ah', price_count: 349 });
    expect(body.b).not.toHaveProperty('flights_count');
  });
});
