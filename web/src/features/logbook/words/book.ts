/** What the logbook says in words, and small sums for drawing. Texts live here, rules do not. */
import { weekday } from '$shared/format/moments';
import { date } from '$shared/format/dates';
import type { Schemas } from '$shared/api/client';
import { digits, minutes, percent, show, type System } from '$shared/format/units';

export type Entry = Schemas['BookEntry'];
export type Lesson = Schemas['LessonOut'];
export type GroupBy = 'day' | 'job' | 'pack';

export interface Group {
  key: string;
  name: string;
  entries: Entry[];
  flown_s: number;
}

export const PLACES = [
  { href: '/logbook', label: 'Flights' },
  { href: '/logbook/compare', label: 'Compare' },
  { href: '/logbook/claims', label: 'Rated and measured' },
  { href: '/logbook/totals', label: 'Totals' },
  { href: '/logbook/spraying', label: 'Spray records' },
] as const;

/** Flights under their day, job or packs; each once, in the order in which they come. */
export function grouped(entries: Entry[], by: GroupBy): Group[] {
  const found = new Map<string, Group>();
  for (const e of entries) {
    const key = by === 'day' ? (e.date ?? '') : by === 'job' ? (e.job_id ?? '') : e.packs.join(' + ');
    const name =
      by === 'day' ? (e.date ? longDate(e.date) : 'Not known when') : by === 'job' ? e.job || 'No job' : key || 'Pack not known';
    const mine = found.get(key) ?? { key, name, entries: [], flown_s: 0 };
    mine.entries.push(e);
    mine.flown_s += e.length_s;
    found.set(key, mine);
  }
  const all = [...found.values()];
  return by === 'day' ? all : all.sort((a, b) => a.name.localeCompare(b.name, 'en', { numeric: true }));
}

export { clockOf, dayAndClock } from '$shared/format/units';

export function longDate(day: string): string {
  return `${weekday(day).slice(0, 3)}, ${date(day)}`;
}

/** How a flight kept to its plan: later is plus. */
export function againstPlan(e: { planned_s: number | null; length_s: number }): string {
  if (e.planned_s === null) return '';
  const off = e.length_s - e.planned_s;
  return Math.abs(off) < 15 ? 'as planned' : `${off > 0 ? '+' : ''}${minutes(off)}`;
}

export const SOURCES: Record<Entry['source'], string> = {
  day: 'told on the day',
  record: 'written down at the pack',
  log: 'its log alone tells of it',
};

export const SUBJECTS: Record<Lesson['subject'], { words: string; what: string }> = {
  power: { words: 'Power of the aircraft', what: 'mean draw' },
  capacity: { words: 'What packs hold', what: 'capacity' },
  resistance: { words: 'Resistance of packs', what: 'of a cell at 25 °C' },
  charge: { words: 'Time on charge', what: 'times as computed' },
  swap: { words: 'Swaps', what: 'landing to next take-off' },
};

/** A figure of a lesson with its unit. */
export function lessonFigure(value: number, unit: string): string {
  if (unit === 'W') return `${digits(value)} W`;
  if (unit === 'Ah') return `${digits(value, 2)} Ah`;
  if (unit === 'Ω') return `${digits(value * 1000, 2)} mΩ`;
  if (unit === 's') return `${minutes(value)} min`;
  return `× ${digits(value, 2)}`;
}

interface Figure {
  key: keyof Schemas['FlightFigures'];
  label: string;
  text: (value: number, system: System) => string;
}

/** Figures of a flight, in the order in which one reads them. */
export const FIGURES: { title: string; rows: Figure[] }[] = [
  {
    title: 'Charge',
    rows: [
      { key: 'min_per_percent', label: 'for each percent', text: (v) => `${digits(v * 60, 1)} s` },
      { key: 'used_ah', label: 'drawn', text: (v) => `${digits(v, 2)} Ah` },
      { key: 'used_wh', label: 'energy drawn', text: (v) => `${digits(v)} Wh` },
      { key: 'knee_frac', label: 'falls faster from', text: (v) => percent(v) },
    ],
  },
  {
    title: 'Draw',
    rows: [
      { key: 'mean_w', label: 'mean power', text: (v) => `${digits(v)} W` },
      { key: 'mean_a', label: 'mean current', text: (v) => `${digits(v, 1)} A` },
      { key: 'hard_a', label: 'hard climb', text: (v) => `${digits(v, 1)} A` },
      { key: 'ah_per_min', label: 'for each minute', text: (v) => `${digits(v * 1000)} mAh` },
      { key: 'wh_per_km', label: 'for each kilometre', text: (v) => `${digits(v, 1)} Wh` },
      { key: 'distance_m', label: 'flown', text: (v, s) => show(v, 'km', s, 2) },
    ],
  },
  {
    title: 'Cells',
    rows: [
      { key: 'lowest_v', label: 'lowest under load', text: (v) => `${digits(v, 2)} V` },
      { key: 'spread_v', label: 'spread under load', text: (v) => `${digits(v * 1000)} mV` },
      { key: 'resistance_ohm', label: 'resistance of the pack', text: (v) => `${digits(v * 1000, 1)} mΩ` },
    ],
  },
  {
    title: 'Warmth',
    rows: [
      { key: 'from_c', label: 'at take-off', text: (v, s) => show(v, 'c', s, 0) },
      { key: 'most_c', label: 'warmest', text: (v, s) => show(v, 'c', s, 0) },
      { key: 'settled_c', label: 'settled at', text: (v, s) => show(v, 'c', s, 0) },
    ],
  },
  {
    title: 'Warnings',
    rows: [
      { key: 'warned_s', label: 'first after', text: (v) => `${minutes(v)} min` },
      { key: 'warned_frac', label: 'at', text: (v) => percent(v) },
      { key: 'in_warning_s', label: 'stood for', text: (v) => `${minutes(v)} min` },
      { key: 'critical_s', label: 'critical for', text: (v) => `${minutes(v)} min` },
    ],
  },
];

export const COMPARED: Record<string, { label: string; text: (v: number, s: System) => string }> = {
  length_s: { label: 'minutes flown', text: (v) => minutes(v) },
  to_reserve_s: { label: 'minutes from full to the reserve', text: (v) => minutes(v) },
  min_per_percent: { label: 'seconds for each percent', text: (v) => digits(v * 60, 1) },
  above_knee_min: { label: 'seconds for each percent, above the knee', text: (v) => digits(v * 60, 1) },
  below_knee_min: { label: 'seconds for each percent, below the knee', text: (v) => digits(v * 60, 1) },
  low_run_s: { label: 'minutes from 30 to 10 %', text: (v) => minutes(v) },
  warned_to_landing_s: { label: 'minutes from first warning to landing', text: (v) => minutes(v) },
  critical_s: { label: 'minutes in critical', text: (v) => minutes(v) },
  used_frac: { label: 'charge used', text: (v) => percent(v, 1) },
  mean_w: { label: 'mean power, W', text: (v) => digits(v, 1) },
  hover_w: { label: 'power in hover, W', text: (v) => digits(v, 1) },
  line_w: { label: 'power on lines, W', text: (v) => digits(v, 1) },
  climb_w: { label: 'power in climb, W', text: (v) => digits(v, 1) },
  hard_a: { label: 'hard climb, A', text: (v) => digits(v, 1) },
  wh_per_km: { label: 'Wh for each kilometre', text: (v) => digits(v, 2) },
  lowest_v: { label: 'lowest cell, V', text: (v) => digits(v, 3) },
  spread_v: { label: 'spread of cells, mV', text: (v) => digits(v * 1000) },
  knee_frac: { label: 'knee at', text: (v) => percent(v) },
  drops_count: { label: 'sudden drops', text: (v) => digits(v, 1) },
  resistance_25_ohm: { label: 'resistance of the pack at 25 °C, mΩ', text: (v) => digits(v * 1000, 2) },
  most_c: { label: 'warmest, °C', text: (v) => digits(v, 1) },
  settled_c: { label: 'settled at, °C', text: (v) => digits(v, 1) },
};

/** A figure as a difference: with its sign, and none where it rounds to nothing. */
export function signed(text: string): string {
  const bare = text.replace(/^[-−+]/, '');
  if (!/[1-9]/.test(bare)) return bare;
  return `${/^[-−]/.test(text) ? '−' : '+'}${bare}`;
}

/** Whether a value of a log's clock tells the date: written out, or counted from 1970 in seconds or thousandths. */
export const tellsDate = (value: string) =>
  /^\d{4}[-./]\d{1,2}[-./]\d|^\d{1,2}[-./]\d{1,2}[-./]\d{2,4}|^\d{8}T\d|^\d{10}(\.\d+)?$|^\d{13}$/.test(value);

/** A date so many days before another, as 2031-05-06. */
export function daysBefore(date: string, days: number): string {
  return new Date(Date.parse(`${date}T12:00:00Z`) - days * 86_400_000).toISOString().slice(0, 10);
}

export const today = () => new Date().toISOString().slice(0, 10);

type Entered = Schemas['BookRecord'];

/** A charge or a test in one line. */
export function recordWords(r: Entered, system: System): string {
  const f = r.figures as Record<string, number | number[] | string | undefined>;
  const num = (k: string) => (typeof f[k] === 'number' ? (f[k] as number) : null);
  const all = (k: string, unit: string, scale: number, places: number) =>
    Array.isArray(f[k]) ? `${(f[k] as number[]).map((v) => digits(v * scale, places)).join(' · ')} ${unit}` : '';
  const share = (k: string) => (num(k) === null ? '' : percent(num(k)!));
  const warm = num('pack_c') === null ? '' : `at ${show(num('pack_c')!, 'c', system, 0)}`;
  const parts: Record<string, string[]> = {
    charge: [
      share('from_frac') && share('to_frac') ? `${share('from_frac')} → ${share('to_frac')}` : share('to_frac'),
      num('put_back_ah') === null ? '' : `${digits(num('put_back_ah')! * 1000)} mAh put back`,
      num('charged_s') === null ? '' : `in ${minutes(num('charged_s')!)} min`,
      typeof f.mode === 'string' ? f.mode : '',
      typeof f.port === 'string' ? f.port : '',
    ],
    'load test': ['load test', all('cell_v', 'V', 1, 2), num('total_v') === null ? '' : `${digits(num('total_v')!, 2)} V`, warm],
    resistance: ['resistance', all('cell_ohm', 'mΩ', 1000, 1), warm],
    capacity: ['capacity', num('capacity_ah') === null ? '' : `${digits(num('capacity_ah')!, 2)} Ah`],
    'rest volts': ['resting voltage', all('cell_v', 'V', 1, 3), num('total_v') === null ? '' : `${digits(num('total_v')!, 2)} V`],
    'alarm levels': ['alarm levels', `${digits(num('first_v') ?? 0, 1)} and ${digits(num('second_v') ?? 0, 1)} V`],
  };
  return (parts[r.kind] ?? [r.kind]).filter(Boolean).join(', ');
}
