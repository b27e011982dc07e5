import { session } from '../session.svelte';
import { MONTHS, partsIn, partsOfDate } from './moments';

type Form = 'day' | 'month' | 'iso';
const SHORT = MONTHS.map((m) => m.slice(0, 3));

/** The date of a moment in a time zone; of a bare date, itself. */
const partsOf = (at: string | Date, zone: string) =>
  typeof at === 'string' && /^\d{4}-\d{2}-\d{2}$/.test(at) ? partsOfDate(at) : partsIn(at, zone);

const form = (): Form => session.me?.dates ?? 'day';
/** The zone that the company goes by; the device's where none is set. */
export const zone = () => session.me?.time_zone ?? '';

/** A date as the company writes it: 30 Nov 2026, Nov 30, 2026 or 2026-11-30. */
export function date(at: string | Date, as: Form = form()): string {
  const { year, month, day } = partsOf(at, zone());
  if (as === 'iso') return `${year}-${String(month).padStart(2, '0')}-${String(day).padStart(2, '0')}`;
  return as === 'month' ? `${SHORT[month - 1]} ${day}, ${year}` : `${day} ${SHORT[month - 1]} ${year}`;
}

/** A date without its year. */
export function shortDate(at: string | Date, as: Form = form()): string {
  const { month, day } = partsOf(at, zone());
  if (as === 'iso') return `${String(month).padStart(2, '0')}-${String(day).padStart(2, '0')}`;
  return as === 'month' ? `${SHORT[month - 1]} ${day}` : `${day} ${SHORT[month - 1]}`;
}
