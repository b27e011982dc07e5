/** The calculators as people ask for them: what to type, and which figures answer. The arithmetic is the server's. */
import { digits, minutes, percent } from '$shared/format/units';
import { CHEMISTRIES } from '$shared/format/words';
import { GROUND_TOOLS, POWER_TOOLS } from './more-calculators';
import { n, num, type Ask, type Tool } from './tools';

export { bodyOf, type Answer, type Ask, type Picture, type Tool } from './tools';

const CHEMISTRY: Ask = {
  key: 'chemistry',
  label: 'Chemistry',
  type: 'choice',
  options: CHEMISTRIES,
  start: 'lipo',
};
const cells = num('cells_count', 'Cells in series', 6, { digits: 0 });
const mAh = (v: unknown) => `${digits(1000 * n(v))} mAh`;

const PACK_TOOLS: Tool[] = [
  {
    name: 'load-test',
    keep: {
      words: 'Record load test',
      record: (_, typed) => ({
        kind: 'load test',
        figures: {
          cell_v: String(typed.cell_volts ?? '')
            .split(/[\s;]+/)
            .map((t) => Number(t.replace(',', '.'))),
          start_frac: typed.start_frac,
          pack_c: typed.pack_c,
        },
      }),
    },
    fill: 'packs',
    title: 'Load test',
    asks: 'Lowest volts of each cell in a full-power climb',
    fields: [
      CHEMISTRY,
      cells,
      { key: 'cell_volts', label: 'Lowest of each cell', type: 'cells', unit: 'V', start: '3.96 3.95 3.97 3.71 3.96 3.97' },
      num('total_v', 'or a total', null, { unit: 'V', digits: 2 }),
      num('start_frac', 'Charge at the start', 0.98, { unit: '%', scale: 100, digits: 0 }),
      num('pack_c', 'Pack at', 22, { unit: '°C', digits: 0 }),
    ],
    head: (a) => String(a.verdict),
    figures: (a) => (a.weakest_v === null ? [] : [['weakest', `${n(a.weakest_v).toFixed(2)} V`]]),
  },
  {
    name: 'sustainable-current',
    fill: 'packs',
    title: 'Sustainable current',
    asks: 'Resistance of each cell by a meter',
    fields: [
      num('capacity_ah', 'Capacity', 2.6, { unit: 'mAh', scale: 1000, digits: 0 }),
      { key: 'cell_ohm', label: 'Resistance of each cell', type: 'cells', unit: 'mΩ', scale: 1000, start: '7.42 7.55 7.38 7.61' },
      num('pack_c', 'Pack at', 25, { unit: '°C', digits: 0 }),
      num('label_c_count', 'Printed rate', 60, { unit: 'C', digits: 0, optional: true }),
      num('pack_ohm', 'Whole pack', 0.0331, { unit: 'mΩ', scale: 1000, digits: 2, optional: true }),
    ],
    head: (a) => `${n(a.current_a).toFixed(1)} A, ${n(a.rate_c_count).toFixed(0)} C`,
    figures: (a) => [
      ['worst cell at 25 °C', `${(1000 * n(a.resistance_25_ohm)).toFixed(2)} mΩ`],
      ['sag of it', `${n(a.sag_v).toFixed(2)} V`],
      ...(a.label_a === null ? [] : ([['the label says', `${n(a.label_a).toFixed(0)} A`]] as [string, string][])),
      ...(a.leads_ohm === null ? [] : ([['leads and plugs', `${(1000 * n(a.leads_ohm)).toFixed(2)} mΩ`]] as [string, string][])),
    ],
    caution: 'A rule of practice, without a citable source: 6 W of heat for each Ah and cell.',
  },
  {
    name: 'charge-back',
    fill: 'packs',
    title: 'Charge-back',
    asks: 'Minutes flown and what the charger put back',
    fields: [
      num('rated_ah', 'Rated capacity', 5.2, { unit: 'mAh', scale: 1000, digits: 0 }),
      {
        key: 'flights',
        label: 'Flights',
        type: 'table',
        columns: [
          { key: 'flown_s', label: 'min', scale: 1 / 60 },
          { key: 'put_back_ah', label: 'mAh put back', scale: 1000 },
          { key: 'used_frac', label: '% used, if shown', scale: 100 },
        ],
        start: '14 3590 72',
      },
      num('landing_frac', 'Reserve', null, { unit: '%', scale: 100, digits: 0, begins: 'sortie.landing_frac', optional: false }),
      {
        key: 'method',
        label: 'counts from',
        type: 'choice',
        options: [
          { value: 'rated', label: 'the rated capacity' },
          { value: 'measured', label: 'the capacity measured' },
        ],
        start: 'rated',
      },
    ],
    head: (a) => `${minutes(n(a.plan_s))} min`,
    figures: (a) => [
      ['draw', `${digits((1000 * n(a.draw_a)) / 60)} mAh/min`],
      ['holds', mAh(a.capacity_ah)],
      ['reserve', mAh(a.reserve_ah)],
      ...(a.health_frac === null ? [] : ([['of rated', percent(n(a.health_frac))]] as [string, string][])),
    ],
  },
  {
    name: 'alarm-levels',
    keep: {
      words: 'Save levels',
      record: (a) => ({
        kind: 'alarm levels',
        figures: { first_v: (a.level_1 as Level).rest_v, second_v: (a.level_2 as Level).rest_v, loss_v: a.loss_v },
      }),
    },
    keepModel: (a) => ({
      alarm_first_v: (a.level_1 as Level).rest_v,
      alarm_second_v: (a.level_2 as Level).rest_v,
      alarm_loss_v: a.loss_v,
    }),
    fill: 'packs',
    title: 'Alarm levels',
    asks: 'Volts after each minute of a test flight, and the way home',
    fields: [
      CHEMISTRY,
      { ...cells, start: 4 },
      {
        key: 'readings',
        label: 'Readings',
        type: 'table',
        columns: [
          { key: 'at_s', label: 'min', scale: 1 / 60 },
          { key: 'rest_v', label: 'V at rest', scale: 1 },
          { key: 'loaded_v', label: 'V under load', scale: 1 },
        ],
        start: '0 16.72 –\n3 16.14 15.7\n6 15.74 15.28\n9 15.36 14.86\n12 14.98 14.42\n14 14.62 13.84',
      },
      num('return_s', 'Way home', 40, { unit: 's', digits: 0 }),
      num('most_loss_v', 'Largest loss the controller takes', null, { unit: 'V', digits: 2 }),
    ],
    head: (a) => `${n((a.level_1 as Level).rest_v).toFixed(2)} V and ${n((a.level_2 as Level).rest_v).toFixed(2)} V at rest`,
    figures: (a) => [
      ['level 1 under load', `${(a.level_1 as Level).loaded_v.toFixed(2)} V`],
      ['level 2 under load', `${(a.level_2 as Level).loaded_v.toFixed(2)} V`],
      ['loss under load', `${n(a.loss_v).toFixed(2)} V`],
      ['between them', minutes(n(a.between_s))],
      ...(a.warning ? ([['caution', String(a.warning)]] as [string, string][]) : []),
    ],
    caution:
      'Enter the levels in the aircraft, prove them in a trial flight near home, start high. The maker’s manual takes precedence.',
  },
  {
    name: 'rest-voltage',
    fill: 'packs',
    title: 'Charge from resting voltage',
    asks: 'Volts of a pack that has rested',
    fields: [CHEMISTRY, cells, num('pack_v', 'Whole pack', 22.8, { unit: 'V', digits: 2 })],
    head: (a) => (a.tells ? `${percent(n(a.low_frac))} to ${percent(n(a.high_frac))}` : 'Volts do not tell'),
    figures: (a) => [['middle', percent(n(a.middle_frac))]],
  },
  {
    name: 'transport',
    fill: 'packs',
    title: 'Transport class',
    asks: 'The label of a spare pack',
    fields: [
      cells,
      num('nominal_cell_v', 'Nominal volts of a cell', 3.7, { unit: 'V', digits: 2 }),
      num('capacity_ah', 'Capacity', 16, { unit: 'mAh', scale: 1000, digits: 0 }),
    ],
    head: (a) => String(a.travel),
    figures: (a) => [
      ['energy', `${n(a.energy_wh).toFixed(0)} Wh`],
      ...(a.most_charge_frac === null ? [] : ([['charged to at most', percent(n(a.most_charge_frac))]] as [string, string][])),
    ],
    caution: 'Rules change and carriers add their own: ask the carrier before you travel.',
  },
  {
    name: 'depth-of-use',
    fill: 'packs',
    title: 'How deep to use it',
    asks: 'How many cycles a pack reaches, how long a whole charge flies',
    fields: [
      num('cycles_count', 'Full cycles it reaches', 260, { digits: 0 }),
      num('at_frac', 'each flight using', 0.7, { unit: '%', scale: 100, digits: 0 }),
      num('full_s', 'A whole charge flies', 1900, { unit: 'min', scale: 1 / 60 }),
      num('price_count', 'Price', null, { digits: 2 }),
      num('power_count', 'Flights fall with this power of the share', 1.3, { digits: 2 }),
    ],
    head: (a) => {
      const [least, ...deeper] = a.rows as Depth[];
      const most = deeper.at(-1)!;
      return `${digits(least!.flights_count)} flights at ${percent(least!.used_frac)}, ${digits(most.flights_count)} at ${percent(most.used_frac)}`;
    },
    figures: (a) => [
      ...(a.rows as Depth[]).map(
        (r) =>
          [
            `${percent(r.used_frac)} used`,
            `${digits(r.flights_count)} flights of ${minutes(r.flight_s)}, ${digits(r.life_s / 3600)} h over its life${r.per_minute === null ? '' : `, ${r.per_minute.toFixed(3)} a minute`}`,
          ] as [string, string],
      ),
      ['rests on', String(a.rests_on)],
    ],
    caution: 'A rule of thumb until the pack has a trend of its own: its page then uses that. The reserve is set under Policy.',
  },
  {
    name: 'compare-packs',
    title: 'Compare two models',
    asks: 'Two packs for one airframe',
    fields: [
      { key: 'a.name', label: 'First', type: 'text', start: 'K6 16 Ah' },
      num('a.price_count', 'its price', 349, { digits: 2 }),
      num('a.flight_s', 'one flight', 1150, { unit: 'min', scale: 1 / 60 }),
      num('a.flights_count', 'flights it will serve', 250, { digits: 0, optional: true }),
      { key: 'b.name', label: 'Second', type: 'text', start: 'K6 22 Ah' },
      num('b.price_count', 'its price', 520, { digits: 2 }),
      num('b.flight_s', 'one flight', 1450, { unit: 'min', scale: 1 / 60 }),
      num('b.flights_count', 'flights it will serve', 220, { digits: 0, optional: true }),
    ],
    head: (a) => ((a.over_life ?? a.one_flight) as number[]).map((v) => v.toFixed(3)).join(' against '),
    figures: (a) => [
      ['each minute', a.over_life ? 'over its life' : 'after one flight'],
      ['an extra minute of the dearer', a.extra_minute == null ? 'none: it flies no longer' : n(a.extra_minute).toFixed(2)],
    ],
  },
  {
    name: 'air',
    title: 'Air',
    asks: 'What a weather station shows',
    fields: [
      num('elevation_m', 'Elevation', 250, { unit: 'm', digits: 0 }),
      num('qnh_hpa', 'QNH', 1012, { unit: 'hPa', digits: 1 }),
      num('air_c', 'Air', 21, { unit: '°C' }),
      num('humidity_frac', 'Humidity', 0.55, { unit: '%', scale: 100, digits: 0, optional: true }),
      num('dew_point_c', 'or dew point', null, { unit: '°C' }),
      num('wind_m_s', 'Wind at 10 m', 3, { unit: 'm/s' }),
    ],
    head: (a) => `${n(a.density_altitude_m).toFixed(0)} m density altitude`,
    figures: (a) => [
      ['density', `${n(a.density_kg_m3).toFixed(3)} kg/m³`],
      ['dew point, spread', `${n(a.dew_point_c).toFixed(1)} °C, ${n(a.spread_k).toFixed(1)} K`],
      ['Delta-T', `${n(a.delta_t_k).toFixed(1)} °C, ${String(a.delta_t_class)}`],
      [
        'feels like',
        `${n(a.chill_c).toFixed(0)} °C${a.relief_s ? `, relieve people every ${(n(a.relief_s) / 60).toFixed(0)} min` : ''}`,
      ],
    ],
  },
  {
    name: 'way-home',
    fill: 'aircraft',
    title: 'Wind and way home',
    asks: 'A place seen from home, and a wind read at a height',
    fields: [
      num('distance_m', 'Distance', 900, { unit: 'm', digits: 0 }),
      num('bearing_deg', 'Bearing from home', 50, { unit: '°', digits: 0 }),
      num('reading_m_s', 'Wind read', 5, { unit: 'm/s' }),
      num('from_deg', 'comes from', 230, { unit: '°', digits: 0 }),
      num('reading_height_m', 'read at', 10, { unit: 'm' }),
      num('height_m', 'flown at', 60, { unit: 'm', digits: 0 }),
      {
        key: 'cover',
        label: 'over',
        type: 'choice',
        options: [
          { value: 'water', label: 'water or snow' },
          { value: 'grass', label: 'open grass' },
          { value: 'crops', label: 'low crops' },
          { value: 'hedges', label: 'hedges, trees' },
          { value: 'wood', label: 'wood or village' },
        ],
        start: 'grass',
      },
      num('airspeed_m_s', 'Airspeed home', 12, { unit: 'm/s' }),
      num('power_w', 'Power', 620, { unit: 'W', digits: 0 }),
      num('energy_wh', 'Energy to spend', 40, { unit: 'Wh' }),
      num('into_m_s', 'measured into wind', null, { unit: 'm/s' }),
      num('with_m_s', 'measured with wind', null, { unit: 'm/s' }),
    ],
    head: (a) => `${minutes(n(a.time_s))} home, ${n(a.energy_wh).toFixed(1)} Wh`,
    figures: (a) => [
      ['wind at height', `${n(a.wind_m_s).toFixed(1)} m/s, gusts ${n(a.gust_m_s).toFixed(1)}`],
      ['ground speed', `${n(a.ground_m_s).toFixed(1)} m/s`],
      ['left on landing', `${n(a.spare_wh).toFixed(1)} Wh`],
      ['safe return radius', `${n(a.radius_m).toFixed(0)} m`],
    ],
    caution: 'A law of wind with height does not hold in a still night or near trees: measure up there.',
  },
  {
    name: 'flight-minutes',
    fill: 'aircraft',
    title: 'Flight minutes',
    asks: 'Few facts of an aircraft, or its claim',
    fields: [
      num('mass_kg', 'Mass at take-off', 6.4, { unit: 'kg', digits: 2 }),
      num('rotors_count', 'Rotors', 6, { digits: 0 }),
      num('rotor_m', 'Rotor diameter', 0.39, { unit: 'm', digits: 3 }),
      num('energy_wh', 'Energy of the packs', 355, { unit: 'Wh', digits: 0 }),
      num('claimed_hover_s', 'Rated or timed hover', null, { unit: 'min', scale: 1 / 60, digits: 1 }),
      num('claimed_cruise_s', 'Rated or timed cruise', null, { unit: 'min', scale: 1 / 60, digits: 1 }),
      num('cruise_m_s', 'Cruise', 12, { unit: 'm/s' }),
      num('load_kg', 'Load', 0.4, { unit: 'kg', digits: 2 }),
      num('density_kg_m3', 'Density of the air', 1.2, { unit: 'kg/m³', digits: 3 }),
      num('headwind_m_s', 'Head wind', 4, { unit: 'm/s' }),
      num('landing_frac', 'Land with', null, {
        unit: '%',
        scale: 100,
        digits: 0,
        begins: 'sortie.landing_frac',
        optional: false,
      }),
    ],
    head: (a) => `${minutes(n(a.cruise_s))} at cruise, ${minutes(n(a.hover_s))} in hover`,
    figures: (a) => [
      ['longest in the air', `${minutes(n(a.longest_s))} at ${n(a.longest_m_s).toFixed(1)} m/s`],
      [
        'farthest against the wind',
        a.farthest_m_s === null ? 'makes no way' : `${n(a.farthest_m).toFixed(0)} m at ${n(a.farthest_m_s).toFixed(1)} m/s`,
      ],
      ['power', `${n(a.hover_w).toFixed(0)} W hover, ${n(a.cruise_w).toFixed(0)} W cruise`],
    ],
    caution: 'A model: measure one hover and one steady flight, and type their minutes.',
  },
  {
    name: 'cold-pack',
    fill: 'packs',
    title: 'Pack in the cold',
    asks: 'A pack, its temperature, and what is asked of it',
    fields: [
      CHEMISTRY,
      cells,
      num('capacity_ah', 'Capacity', 16, { unit: 'Ah' }),
      num('health_frac', 'Capacity, of rated', 0.95, { unit: '%', scale: 100, digits: 0 }),
      num('cell_25_ohm', 'Resistance of a cell at 25 °C', null, { unit: 'mΩ', scale: 1000, digits: 2 }),
      num('weak_times', 'Weakest cell', 1.1, { unit: 'times', digits: 2 }),
      num('pack_c', 'Pack at', -4, { unit: '°C' }),
      num('air_c', 'Air', -8, { unit: '°C' }),
      num('mean_w', 'Mean power', 620, { unit: 'W', digits: 0 }),
      num('peak_w', 'Full climb', 950, { unit: 'W', digits: 0 }),
      num('landing_frac', 'Land with', null, {
        unit: '%',
        scale: 100,
        digits: 0,
        begins: 'sortie.landing_frac',
        optional: false,
      }),
      num('case_c', 'Case at', 30, { unit: '°C' }),
      num('launch_c', 'No take-off below', null, { unit: '°C', digits: 0 }),
      {
        key: 'method',
        label: 'Method for cold',
        type: 'choice',
        options: [
          { value: 'model', label: 'thermal model' },
          { value: 'halve', label: 'halve below freezing' },
        ],
        start: 'model',
      },
    ],
    head: (a) => (a.launch ? `${minutes(n(a.usable_s))}, dips to ${n(a.dip_v).toFixed(2)} V` : 'Do not launch'),
    figures: (a) => [
      ...(a.launch
        ? ([
            ['of its energy when warm and new', percent(n(a.cold_frac))],
            ['ends at', `${n(a.settles_c).toFixed(0)} °C`],
          ] as [string, string][])
        : ([
            ...(a.ways as Way[]).map(
              (w) =>
                [
                  `to ${n(a.target_c).toFixed(0)} °C ${w.words}`,
                  w.time_s === null ? 'never gets there' : `about ${minutes(w.time_s)}`,
                ] as [string, string],
            ),
            ...(a.meanwhile as string[]).map((m, k) => [k ? '' : 'meanwhile', m] as [string, string]),
          ] as [string, string][])),
      ...(a.launch
        ? ([
            ['from air temperature in the case', a.preheat_s === null ? 'never: the case is too cool' : minutes(n(a.preheat_s))],
            ...(a.holds_s === 0
              ? []
              : [['stays above 10 °C outside for', a.holds_s === null ? 'as long as you like' : minutes(n(a.holds_s))]]),
          ] as [string, string][])
        : []),
    ],
    caution: 'Warm packs slowly. Never charge below freezing.',
  },
  {
    name: 'metar',
    title: 'METAR reader',
    asks: 'A report as it was copied',
    fields: [
      { key: 'metar', label: 'Report', type: 'text', start: 'METAR ZZZZ 121350Z 24015G28KT 9999 SCT030 BKN045 18/09 Q1016' },
      num('year', 'Year', new Date().getFullYear(), { digits: 0 }),
      num('month', 'Month', new Date().getMonth() + 1, { digits: 0 }),
    ],
    head: (a) =>
      a.wind_m_s === null
        ? 'no wind reported'
        : `${n(a.wind_m_s).toFixed(1)} m/s${a.from_deg === null ? ', variable' : ` from ${n(a.from_deg).toFixed(0)}°`}${a.gust_m_s === null ? '' : `, gusts ${n(a.gust_m_s).toFixed(1)}`}`,
    figures: (a) => [
      ['visibility', a.visibility_m === null ? 'not reported' : `${n(a.visibility_m).toFixed(0)} m`],
      ['ceiling', a.ceiling_m === null ? 'none reported' : `${n(a.ceiling_m).toFixed(0)} m`],
      [
        'air, dew point',
        `${a.air_c === null ? '–' : `${n(a.air_c).toFixed(0)} °C`}, ${a.dew_point_c === null ? '–' : `${n(a.dew_point_c).toFixed(0)} °C`}`,
      ],
      ['weather', String(a.weather || 'none reported')],
      ['it does not say', (a.lacks as string[]).join(', ') || 'all groups are there'],
    ],
    caution: 'No gust named only means less than 5 m/s above the mean.',
  },
];

const ALL: Tool[] = [...PACK_TOOLS, ...POWER_TOOLS, ...GROUND_TOOLS];
const ORDER: [words: string, names: string[]][] = [
  [
    'Packs',
    [
      'load-test',
      'sustainable-current',
      'alarm-levels',
      'rest-voltage',
      'resistance-from-load',
      'cold-pack',
      'depth-of-use',
      'compare-packs',
      'transport',
    ],
  ],
  ['Charging', ['charge-back', 'charge', 'steady', 'rotation']],
  ['Air and flight', ['air', 'way', 'way-home', 'flight-minutes', 'metar']],
  ['Work', ['mapping', 'search', 'coverage', 'sorties']],
  ['Spraying', ['spraying', 'nozzles', 'catches', 'swath-test', 'falling']],
];

/** Every calculator of the register, in the order of the work; what has no place of its own yet stands at the end. */
export const GROUPS: { words: string; tools: Tool[] }[] = [
  ...ORDER.map(([words, names]) => ({ words, tools: names.flatMap((n) => ALL.filter((t) => t.name === n)) })),
  { words: 'Others', tools: ALL.filter((t) => !ORDER.some(([, names]) => names.includes(t.name))) },
].filter((g) => g.tools.length);
type Depth = { used_frac: number; flights_count: number; flight_s: number; life_s: number; per_minute: number | null };
type Way = { words: string; time_s: number | null };
export const TOOLS: Tool[] = GROUPS.flatMap((g) => g.tools);

interface Level {
  loaded_v: number;
  rest_v: number;
}
