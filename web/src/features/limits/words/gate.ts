/** The gate of a day as it is drawn: which hours, which rows, and how a value reads. Judging is the server's. */
import type { Schemas } from '$shared/api/client';
import { show, type Quantity, type System } from '$shared/format/units';

export type GateDay = Schemas['GateOut'];
export type GateHour = GateDay['hours'][number];
export type Row = GateHour['verdict']['rows'][number];
export type Word = Row['verdict'];

const OWN_ROWS = new Set(['gust_m_s', 'wind_m_s']);
const QUANTITY: Record<string, Quantity> = {
  gust_m_s: 'm_s',
  wind_m_s: 'm_s',
  spray_wind_m_s: 'm_s',
  air_c: 'c',
  chill_c: 'c',
  pack_c: 'c',
  visibility_m: 'm',
  ceiling_m: 'm',
  height_m: 'm',
  farthest_m: 'm',
  return_clear_m: 'm',
};
export const SHORT: Record<string, string> = {
  gust_m_s: 'gust',
  wind_m_s: 'mean wind',
  air_c: 'air',
  spread_k: 'spread to dew point',
  rain_mm_h: 'rain',
  snow_mm_h: 'snow',
  visibility_m: 'visibility',
  ceiling_m: 'cloud base',
  thunder_count: 'thunderstorm',
  sun_deg: 'daylight',
  delta_t_k: 'Delta-T',
  spray_wind_m_s: 'wind at the nozzles',
  chill_c: 'wind chill',
  sensitive_places: 'sensitive places',
  inversion: 'inversion',
  rain_ahead: 'rain after spraying',
};

/** A value in the person's units; a spread of temperatures is no temperature. */
export function said(key: string, value: number | null, system: System, unit = '', scale = 1, decimals = 1): string {
  if (value === null) return 'not known';
  const quantity = QUANTITY[key];
  if (quantity) return show(value, quantity, system, quantity === 'm' ? 0 : 1);
  return `${(value * scale).toFixed(decimals)}${unit ? ` ${unit}` : ''}`;
}

const TWILIGHT_DEG = -0.833; // the upper edge of the sun at the horizon
const NIGHT_DEG = -6;

/** Daylight of an hour in words, with when civil twilight begins or ends on that day. */
export function daylight(day: GateDay, sunDeg: number): string {
  const clock = (min: number | null) => {
    if (min === null) return '';
    const m = Math.round(min - day.sun_offset_min + 1440) % 1440;
    return `${String(Math.floor(m / 60)).padStart(2, '0')}:${String(m % 60).padStart(2, '0')}`;
  };
  const dawn = clock(day.sun.dawn);
  const dusk = clock(day.sun.dusk);
  const span = dawn && dusk ? `: civil twilight begins ${dawn}, ends ${dusk}` : '';
  if (sunDeg >= TWILIGHT_DEG) return `day${span}`;
  return `${sunDeg >= NIGHT_DEG ? 'twilight' : 'night'}${span}`;
}

/** Whether a thunderstorm is about, in words. */
export function thunderstorm(count: number): string {
  return count > 0 ? 'reported' : 'none reported';
}

/** The thin rows below the wind: every other limit of the hours, in the order of the sheets. */
export function thinRows(day: GateDay): string[] {
  const keys = day.hours.flatMap((h) => h.verdict.rows.map((r) => r.key));
  return [...new Set(keys)].filter((k) => !OWN_ROWS.has(k));
}

export function rowOf(hour: GateHour, key: string): Row | undefined {
  return hour.verdict.rows.find((r) => r.key === key);
}

/** Hours that are drawn: from an hour before first light or the first reading to an hour after last light. */
export function drawnHours(day: GateDay): GateHour[] {
  const local = (min: number | null) => (min === null ? null : (min - day.sun_offset_min) / 60);
  const from = Math.max(0, Math.floor((local(day.sun.dawn) ?? 6) - 1));
  const to = Math.min(24, Math.ceil((local(day.sun.dusk) ?? 20) + 1));
  return day.hours.slice(from, Math.max(to, from + 6));
}

/** The time of day of a moment, as 10:00, in the zone the gate was asked in. */
export function hourOf(at: string): string {
  return at.slice(11, 16);
}

/** The end of the hour that begins at a moment, as 11:00. */
export function hourAfter(at: string): string {
  return `${String((Number(at.slice(11, 13)) + 1) % 24).padStart(2, '0')}:${at.slice(14, 16)}`;
}

export interface Point {
  x: number;
  value: number;
}

/** What was measured, as points along the hours; each reading once. */
export function measuredPoints(day: GateDay, key: 'gust_m_s' | 'wind_m_s'): Point[] {
  const begins = Date.parse(day.begins);
  return day.readings
    .filter((r) => typeof r.figures[key] === 'number' && !r.withdrawn)
    .map((r) => ({ x: (Date.parse(r.at) - begins) / 3.6e6, value: Number(r.figures[key]) }));
}

/** How old a forecast is, in words. */
export function ageWords(seconds: number | null): string {
  if (seconds === null) return 'never fetched';
  const m = Math.round(seconds / 60);
  if (m < 2) return 'just now';
  return m < 90 ? `${m} min old` : `${Math.round(m / 60)} h old`;
}
