import { describe, expect, it } from 'vitest';
import { overTheYear } from './words/seasons';
import { groupsBy, imbalanceLines, LINES, MOST_GROUPS, nameOfGroup, type Known } from './words/groups';

const thing = (id: string, name = id, flights = 3) => ({ id, name, flights });
const known: Known = {
  packs: Array.from({ length: 9 }, (_, k) => thing(`p${k}`, `D-0${k}`, 20 - k)),
  pack_models: [thing('m1', 'Slab 12')],
  aircraft: [thing('a1', 'Ada')],
  aircraft_models: [],
  jobs: [thing('j1', 'Long field')],
  firmware: [thing('2.1')],
  people: [thing('Ida')],
  seasons: [thing('3', 'Jun to Aug')],
  flights: 99,
};

describe('groups', () => {
  it('are those with the most flights, at most six, each with a line of its own', () => {
    const made = groupsBy(known, 'pack');
    expect(made).toHaveLength(MOST_GROUPS);
    expect(made[0]).toEqual({ pack_id: 'p0' });
    expect(groupsBy(known, 'season')).toEqual([{ season: '3' }]);
    expect(new Set(LINES.map((l) => l.dash)).size).toBe(MOST_GROUPS);
  });

  it('say what their flights have in common', () => {
    expect(nameOfGroup(known, {})).toBe('all flights');
    expect(nameOfGroup(known, { pack_id: 'p3', firmware: '2.1' })).toBe('pack D-03, firmware 2.1');
    expect(nameOfGroup(known, { season: '3', least_air_c: 0, begins: '2031-05-01' })).toBe(
      'Jun to Aug, air, dates within bounds',
    );
  });
});

describe('what else differs', () => {
  it('is said with figures, and what became of it', () => {
    const air = (group: number, mine: number) => ({ condition: 'air_c' as const, group, mine, first: 18.2, taken_out: true });
    const model = { condition: 'pack_model' as const, group: 2, mine: 'Slab', first: 'Brick', taken_out: false };
    expect(imbalanceLines([air(1, 4), air(2, 9.6), model], 'metric')).toEqual([
      'They differ in air temperature too: on average A 18 °C, B 4 °C, C 10 °C. The adjusted differences are without it.',
      'They differ in model of pack too: mostly A Brick, C Slab. With these flights its effect cannot be told apart from that of the groups.',
    ]);
  });
});

describe('over the year', () => {
  it('years are laid over one another, each flight counting alike', () => {
    const of = (month: string, minutes: number, flights: number, air_c: number | null = null) => ({
      model: 'Slab',
      month,
      minutes,
      flights,
      air_c,
    });
    const found = overTheYear([of('2031-07', 30, 3, 22), of('2030-07', 26, 1), of('2031-01', 18, 2)]).get('Slab')!;
    expect(found).toEqual([
      { month: 1, minutes: 18, flights: 2, air_c: null },
      { month: 7, minutes: 29, flights: 4, air_c: 22 },
    ]);
  });
});
