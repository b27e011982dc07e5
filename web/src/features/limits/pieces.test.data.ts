/** A gate of one day as the server tells it, for component tests. */
import type { Schemas } from '$shared/api/client';
import type { GateDay, GateHour, Row } from './words/gate';

const bound = (value: number, sheet = 'Skarra, data sheet'): Schemas['BoundOut'] => ({
  value,
  sheet,
  level: 'aircraft',
  why: 'the data sheet',
});

export function row(key: string, value: number | null, verdict: Row['verdict'], more: Partial<Row> = {}): Row {
  return {
    key,
    words: key === 'gust_m_s' ? 'Gust at flying height' : key,
    verdict,
    reason: verdict === 'go' ? '' : `${key} is why`,
    value,
    origin: value === null ? null : 'forecast',
    least: null,
    most: bound(10),
    margin: value === null ? null : 10 - value,
    whose: 'Skarra, data sheet',
    may_override: true,
    ...more,
  };
}

export function hour(at: string, gust: number | null, rows: Row[] = []): GateHour {
  const all = [row('gust_m_s', gust, gust === null || gust > 9 ? 'no' : gust > 7.5 ? 'care' : 'go'), ...rows];
  const word = all.some((r) => r.verdict === 'no') ? 'no' : all.some((r) => r.verdict === 'care') ? 'care' : 'go';
  const told = {
    wind_m_s: gust === null ? null : gust * 0.7,
    gust_m_s: gust,
    gust_assumed: false,
    from_deg: 240,
    air_c: 12,
    dew_point_c: 6,
    words: 'forecast',
  };
  return {
    at,
    verdict: {
      word,
      words: word,
      rows: all,
      reasons: all.filter((r) => r.verdict !== 'go').map((r) => r.reason),
      may_override: true,
      unknown: gust === null,
    },
    forecast: gust === null ? null : told,
    measured: [],
  };
}

export function gate(gusts: (number | null)[], more: Partial<GateDay> = {}): GateDay {
  const at = (k: number) => `2031-05-06T${String(k).padStart(2, '0')}:00:00+00:00`;
  return {
    job_id: 'j1',
    job: 'Top field',
    date: '2031-05-06',
    time_zone: 'UTC',
    begins: at(0),
    height_m: 60,
    cover: 'open grass',
    service: {
      configured: true,
      source: 'simulated weather service',
      issued_at: '2031-05-06T05:00:00Z',
      fetched_at: '2031-05-06T05:10:00Z',
      age_s: 3000,
      problem: '',
      notes: [],
      hours: 24,
    },
    hours: Array.from({ length: 24 }, (_, k) => hour(at(k), gusts[k] ?? gusts.at(-1)!, [row('rain_mm_h', 0, 'go')])),
    spans: [],
    next: { from_at: at(9), to_at: at(12) },
    limits: [{ key: 'gust_m_s', least: null, most: bound(10) }],
    sun: { dawn: 240, sunrise: 280, noon: 720, sunset: 1180, dusk: 1220 },
    sun_offset_min: 0,
    readings: [],
    ...more,
  };
}

const quantity = (key: string, words: string, unit: string, sides: 'most' | 'least' | 'both', more = {}) => ({
  key,
  words,
  unit,
  scale: 1,
  decimals: 1,
  sides,
  when: 'hour' as const,
  how: '',
  low: -60,
  high: 60,
  ...more,
});
const rule = (key: string, least: number | null, most: number | null, why = 'usual') => ({
  key,
  least,
  most,
  why,
  by: 'Ines',
  at: '',
});
const sheet = (
  level: Schemas['SheetOut']['level'],
  name: string,
  rules: Schemas['LimitRule'][],
  more: Partial<Schemas['SheetOut']> = {},
) => ({
  id: `${level}-${name}`,
  level,
  name,
  rules,
  version: 2,
  kept: true,
  aircraft_model_id: null,
  work: '',
  job_id: null,
  ...more,
});

export const PAGE: Schemas['LimitsPage'] = {
  quantities: [
    quantity('gust_m_s', 'Gust at flying height', 'm/s', 'most'),
    quantity('air_c', 'Air temperature', '°C', 'both'),
    quantity('charge_frac', 'Charge before take-off', '%', 'least', { scale: 100, decimals: 0, high: 1, when: 'take-off' }),
    quantity('rain_mm_h', 'Rain', 'mm/h', 'most'),
  ],
  levels: [
    { key: 'organisation', words: 'Organisation' },
    { key: 'aircraft', words: 'Aircraft' },
    { key: 'work', words: 'Kind of work' },
    { key: 'job', words: 'Job' },
  ],
  sheets: [
    sheet('organisation', 'Company', [rule('gust_m_s', null, 12), rule('air_c', -10, 40), rule('charge_frac', 0.96, null)]),
    sheet('aircraft', 'Skarra, data sheet', [rule('gust_m_s', null, 10), rule('air_c', 0, 42)], {
      kept: false,
      aircraft_model_id: 'm1',
    }),
    sheet('work', 'Mapping', [rule('gust_m_s', null, 11)], { work: 'mapping' }),
  ],
};
