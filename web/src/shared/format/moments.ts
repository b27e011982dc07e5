/** Moments and bare dates in numbers and English words, the same whatever the device speaks. */
export const MONTHS = [
  'January', 'February', 'March', 'April', 'May', 'June', 'July', 'August', 'September', 'October', 'November', 'December',
] as const; // prettier-ignore
const WEEKDAYS = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday'] as const;

export interface Parts {
  year: number;
  month: number;
  day: number;
  hour: number;
  minute: number;
}

/** One for each zone: to make a formatter takes longer than all that it will ever write on a screen. */
const made = new Map<string, Intl.DateTimeFormat>();

function formatterOf(zone: string): Intl.DateTimeFormat {
  let found = made.get(zone);
  if (!found) {
    found = new Intl.DateTimeFormat('en-GB', {
      year: 'numeric',
      month: 'numeric',
      day: 'numeric',
      hour: 'numeric',
      minute: 'numeric',
      hourCycle: 'h23',
      timeZone: zone || undefined,
    });
    made.set(zone, found);
  }
  return found;
}

/** The parts of a moment in a time zone; none: the device's. */
export function partsIn(at: string | number | Date, zone = ''): Parts {
  const found = { year: 0, month: 1, day: 1, hour: 0, minute: 0 };
  for (const { type, value } of formatterOf(zone).formatToParts(new Date(at))) {
    if (type in found) found[type as keyof Parts] = Number(value);
  }
  return found;
}

const two = (n: number) => String(n).padStart(2, '0');

/** A time of day as 08:05, in a time zone or the device's. */
export function clockIn(at: string | number | Date, zone = ''): string {
  const { hour, minute } = partsIn(at, zone);
  return `${two(hour)}:${two(minute)}`;
}

/** The parts of a bare date, as 2031-05-06. */
export function partsOfDate(day: string): Pick<Parts, 'year' | 'month' | 'day'> {
  const [year = 0, month = 1, date = 1] = day.split('-').map(Number);
  return { year, month, day: date };
}

/** The weekday of a bare date. */
export const weekday = (day: string): string => WEEKDAYS[new Date(`${day}T12:00:00Z`).getUTCDay()] ?? '';
