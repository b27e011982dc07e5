import { clockIn, MONTHS, partsOfDate, weekday } from './moments';
import { date, zone } from './dates';

/** Text from SI values: the only place that knows metric and imperial. */
export type System = 'metric' | 'imperial';
export type Quantity = 'm' | 'km' | 'm_s' | 'ha' | 'l' | 'l_ha' | 'l_min' | 'cm' | 'c' | 'ha_h';

interface Shown {
  unit: string;
  factor: number;
  digits: number;
  offset?: number;
}

const TABLE: Record<Quantity, Record<System, Shown>> = {
  m: { metric: { unit: 'm', factor: 1, digits: 0 }, imperial: { unit: 'ft', factor: 3.28084, digits: 0 } },
  km: {
    metric: { unit: 'km', factor: 0.001, digits: 1 },
    imperial: { unit: 'mi', factor: 0.000621371, digits: 1 },
  },
  cm: {
    metric: { unit: 'cm', factor: 100, digits: 2 },
    imperial: { unit: 'in', factor: 39.3701, digits: 2 },
  },
  m_s: {
    metric: { unit: 'm/s', factor: 1, digits: 1 },
    imperial: { unit: 'mph', factor: 2.23694, digits: 1 },
  },
  ha: { metric: { unit: 'ha', factor: 1, digits: 1 }, imperial: { unit: 'ac', factor: 2.47105, digits: 1 } },
  ha_h: {
    metric: { unit: 'ha/h', factor: 1, digits: 1 },
    imperial: { unit: 'ac/h', factor: 2.47105, digits: 1 },
  },
  l: { metric: { unit: 'L', factor: 1, digits: 1 }, imperial: { unit: 'US gal', factor: 0.264172, digits: 1 } },
  l_ha: {
    metric: { unit: 'L/ha', factor: 1, digits: 1 },
    imperial: { unit: 'US gal/ac', factor: 0.106907, digits: 2 },
  },
  l_min: {
    metric: { unit: 'L/min', factor: 1, digits: 2 },
    imperial: { unit: 'US gal/min', factor: 0.264172, digits: 2 },
  },
  c: {
    metric: { unit: '°C', factor: 1, digits: 1 },
    imperial: { unit: '°F', factor: 1.8, digits: 1, offset: 32 },
  },
};

export function unitOf(quantity: Quantity, system: System): string {
  return TABLE[quantity][system].unit;
}

/** The number that is shown for an SI value. */
export function toShown(value: number, quantity: Quantity, system: System): number {
  const s = TABLE[quantity][system];
  return value * s.factor + (s.offset ?? 0);
}

/** The SI value of a number that was typed. */
export function fromShown(value: number, quantity: Quantity, system: System): number {
  const s = TABLE[quantity][system];
  return (value - (s.offset ?? 0)) / s.factor;
}

/** Digits with thin spaces between thousands. */
export function digits(value: number, places = 0): string {
  const text = value.toFixed(places);
  const [whole = '', rest] = text.split('.');
  const grouped = whole.replace(/\B(?=(\d{3})+(?!\d))/g, '\u202f');
  return rest === undefined ? grouped : `${grouped}.${rest}`;
}

export function show(value: number, quantity: Quantity, system: System, places?: number): string {
  const s = TABLE[quantity][system];
  return `${digits(toShown(value, quantity, system), places ?? s.digits)} ${s.unit}`;
}

/** A working speaks SI; its suffix units become the person's units where they differ. */
export function showUnit(value: number, unit: string, system: System): string {
  const quantity = (
    {
      m: 'm',
      'm/s': 'm_s',
      ha: 'ha',
      L: 'l',
      'L/ha': 'l_ha',
      'L/min': 'l_min',
      'ha/h': 'ha_h',
      '°C': 'c',
    } as const
  )[unit as 'm'];
  if (quantity === 'm' && Math.abs(value) < 0.2 && value !== 0) return show(value, 'cm', system);
  if (quantity) return show(value, quantity, system, Math.abs(value) < 100 ? 2 : 1);
  if (unit === 'Ω') return `${digits(value * 1000, 2)} mΩ`;
  if (unit === 's') return Math.abs(value) >= 90 ? `${minutes(value)} min` : `${digits(value, 1)} s`;
  if (unit === '') return Number.isInteger(value) ? digits(value) : digits(value, 3);
  return `${digits(value, Math.abs(value) < 10 ? 2 : Math.abs(value) < 1000 ? 1 : 0)} ${unit}`;
}

/** A piece of ground, small or large. */
export function areaWords(m2: number, system: System): string {
  return m2 < 1000 && system === 'metric' ? `${digits(m2)} m²` : show(m2 / 10_000, 'ha', system, 2);
}

/** Minutes and seconds of a length of time, as 20:35. */
export function minutes(seconds: number): string {
  const sign = seconds < 0 ? '−' : '';
  const s = Math.round(Math.abs(seconds));
  return `${sign}${Math.floor(s / 60)}:${String(s % 60).padStart(2, '0')}`;
}

/** Hours and minutes of a length of time, as 1 h 47. */
export function hours(seconds: number): string {
  const m = Math.round(seconds / 60);
  return m < 60 ? `${m} min` : `${Math.floor(m / 60)} h ${String(m % 60).padStart(2, '0')}`;
}

export function percent(share: number, places = 0): string {
  return `${(share * 100).toFixed(places)} %`;
}

/** Seconds since midnight of a time written as 08:00. */
export function secondsOf(clock: string): number {
  const [h = '0', m = '0'] = clock.split(':');
  return Number(h) * 3600 + Number(m) * 60;
}

/** When a day opens: on its clock, and where it is known as a moment, so that a night whose clocks change is told right. */
export type Opening = string | { opens: string; opens_at?: string; time_zone?: string };

/** Whether a day ends on the date after the one it opens on. */
export const overMidnight = (d: { opens: string; closes: string }): boolean => d.closes <= d.opens;

/** The hours of a day, as 20:00 to 04:00 the next day. */
export const hoursOf = (d: { opens: string; closes: string }): string =>
  `${d.opens} to ${d.closes}${overMidnight(d) ? ' the next day' : ''}`;

/** A time of day from the opening of the day and seconds after it, as 10:42. */
export function clock(opening: Opening, after: number): string {
  if (typeof opening !== 'string' && opening.opens_at) {
    const at = Date.parse(opening.opens_at) + Math.round(after) * 1000;
    if (Number.isFinite(at)) return clockIn(at, opening.time_zone);
  }
  const m = Math.floor((secondsOf(typeof opening === 'string' ? opening : opening.opens) + Math.round(after)) / 60);
  return `${String(Math.floor(m / 60) % 24).padStart(2, '0')}:${String(m % 60).padStart(2, '0')}`;
}

export function dayName(date: string): string {
  const { month, day } = partsOfDate(date);
  return `${weekday(date)} ${day} ${MONTHS[month - 1]}`;
}

export function clockOf(at: string | null): string {
  return at ? clockIn(at, zone()) : '—';
}

export function dayAndClock(at: string | null): string {
  return at ? `${date(at)}, ${clockOf(at)}` : 'not known when';
}
