/** A day and its plan as the server tells them, for component tests: two aircraft, three packs, one grounded. */
import type { Schemas } from '$shared/api/client';
import type { Day, DayPlan } from './day.svelte';

export const DAY: Day = {
  id: 'd1',
  version: 2,
  archived: false,
  name: 'Field day',
  date: '2031-05-06',
  time_zone: 'UTC',
  opens: '08:00',
  closes: '17:00',
  pauses: [],
  swap_s: 240,
  rest_after_flight_s: 600,
  rest_after_charge_s: 300,
  elevation_m: 380,
  bench_c: 18,
  schools: { packs: 'full', rates: 'any', aim: 'finish' },
  pins: [],
  supply_id: null,
  more_supply_ids: [],
  charger_ids: ['c1'],
  crew_ids: [],
  jobs: [{ job_id: 'j1', aircraft_id: 'a1' }],
  packs: [{ pack_id: 'p1', start_frac: 1 }],
};

type Bed = Schemas['BedOut'];
const bed = (state: Bed['state'], from: number, to: number, label = '', curve: [number, number] = [1, 1], c = 18): Bed => ({
  state,
  start_s: from,
  end_s: to,
  label,
  curve: [
    [from, curve[0]],
    [to, curve[1]],
  ],
  c: [c, c],
});
const flight = (name: string, aircraft: string, set: string, takeoff: number): Schemas['DayFlightOut'] => ({
  flight: name,
  aircraft,
  set,
  takeoff_s: takeoff,
  landing_s: takeoff + 1200,
  job: 'j1',
  letter: name[0]!,
  number: Number(name.slice(1)),
  landing_frac: 0.34,
});
const lever = (words: string, by: number, saves: number | null, why = ''): Schemas['LeverOut'] => ({
  thing: 'set',
  by,
  words,
  finish_s: saves === null ? null : 9000 - saves,
  saves_s: saves,
  why_not: why,
});

export function plan(part: Partial<DayPlan> = {}): DayPlan {
  return {
    number: 3,
    state: 'best',
    progress: 1,
    length_s: 32400,
    windows: [
      [0, 14400],
      [16200, 32400],
    ],
    finish_s: 9000,
    plain_rule_s: 10800,
    bound_s: 8400,
    bound_reason: 'the packs of Wren',
    proven: false,
    rule: 'search',
    waits: [{ aircraft: 'a1', flight: 'S2', from_s: 2400, to_s: 3900, reason: 'pack' }],
    flights: [flight('S1', 'a1', '01', 600), flight('S2', 'a1', '02', 3900), flight('B1', 'a2', '03 + 04', 1200)],
    aircraft: [
      { id: 'a1', name: 'Wren', model: 'Skarra 6' },
      { id: 'a2', name: 'Bittern', model: 'Brunt 16' },
    ],
    packs: [
      {
        id: 'p1',
        name: '01',
        set: '01',
        mates: '',
        grounded: '',
        beds: [
          bed('ready', 0, 600),
          bed('flying', 600, 1800, 'S1', [1, 0.34], 44),
          bed('cooling', 1800, 2400, '', [0.34, 0.34], 36),
        ],
      },
      {
        id: 'p2',
        name: '02',
        set: '02',
        mates: '',
        grounded: '',
        beds: [bed('charging', 0, 3000, '1', [0.4, 1]), bed('flying', 3900, 5100, 'S2', [1, 0.34], 4)],
      },
      { id: 'p3', name: '03', set: '03 + 04', mates: 'P', grounded: '', beds: [bed('flying', 1200, 2400, 'B1', [1, 0.34], 52)] },
      { id: 'p4', name: '04', set: '03 + 04', mates: 'P', grounded: '', beds: [bed('flying', 1200, 2400, 'B1', [1, 0.34], 52)] },
      { id: '', name: '05', set: '', mates: '', grounded: 'swollen: out of service', beds: [] },
    ],
    load: [
      [0, 900],
      [3000, 0],
    ],
    can_give_w: 1600,
    calls: [
      { at_s: 0, kind: 'on_port', set: '02', member: '02', flight: '', aircraft: '', port: 1 },
      { at_s: 600, kind: 'launch', set: '01', member: '', flight: 'S1', aircraft: 'a1', port: 0 },
      { at_s: 3000, kind: 'off_port', set: '02', member: '02', flight: '', aircraft: '', port: 1 },
    ],
    problems: [],
    gates: [],
    cautions: [],
    why: [],
    pins: [],
    pins_cost_s: null,
    schools: { packs: 'full', rates: 'any', aim: 'finish' },
    supply: { each: [], can_give_w: 1600, air_c: 12, elevation_m: 380, outlet_of: {}, load_va: {}, left_out: [] },
    chance: {
      p10_s: 8700,
      p50_s: 9060,
      p90_s: 9600,
      by_time: [
        [8400, 0],
        [9000, 0.45],
        [9600, 0.9],
        [10200, 1],
      ],
      in_hours_frac: 0.97,
      days: 10000,
      risks: [
        { what: 'pack', name: '02', share_frac: 0.61 },
        { what: 'port', name: '1', share_frac: 0.3 },
        { what: 'aircraft', name: 'Wren', share_frac: 0.2 },
      ],
    },
    levers: [
      lever('one more pack like 02', 1, 1500),
      lever('one more port', 1, 0, 'no pack waits for a port'),
      lever('500 W more', 1, 60),
      lever('one more hour', 1, 0),
      lever('Bittern twice', 1, 30),
      lever('01 full', 1, 0),
      lever('02 full the evening before', 1, 300),
      lever('one pack less', -1, -2400),
      lever('one port less', -1, null, 'no port is left'),
    ],
    enough: [{ name: 'Wren', sets_needed: 4, ports_needed: 2, sets: 2, ports: 1 }],
    grid: {
      name: 'Wren',
      sets: [1, 2, 3],
      ports: [1, 2],
      finish_s: [
        [null, null],
        [9000, 8700],
        [8100, 7800],
      ],
      here: [2, 1],
    },
    worth_s: 1800,
    ...part,
  } as DayPlan;
}
