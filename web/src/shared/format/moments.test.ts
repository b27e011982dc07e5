import { describe, expect, it } from 'vitest';
import { clockIn, MONTHS, partsIn, partsOfDate, weekday } from './moments';

describe('moments', () => {
  it('are told in their zone, midnight as 00:00', () => {
    expect(clockIn('2031-05-06T23:00:00Z', 'Europe/London')).toBe('00:00');
    expect(clockIn('2031-01-06T08:05:59Z', 'Europe/London')).toBe('08:05');
    expect(partsIn('2031-12-31T23:30:00Z', 'Asia/Kolkata')).toEqual({ year: 2032, month: 1, day: 1, hour: 5, minute: 0 });
  });

  it('agree with the formatter of the device for every hour of a year with its changes of clock', () => {
    const other = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit', timeZone: 'America/St_Johns' });
    for (let k = 0; k < 8760; k += 7) {
      const at = new Date(Date.UTC(2031, 0, 1, k, 17));
      expect(clockIn(at, 'America/St_Johns')).toBe(other.format(at));
    }
  });

  it('know the weekdays and months of bare dates', () => {
    const long = new Intl.DateTimeFormat('en-GB', { weekday: 'long', month: 'long', timeZone: 'UTC' });
    for (let k = 0; k < 800; k += 13) {
      const at = new Date(Date.UTC(2027, 11, 1 + k, 12));
      const day = at.toISOString().slice(0, 10);
      expect(long.format(at)).toContain(weekday(day));
      expect(long.format(at)).toContain(MONTHS[partsOfDate(day).month - 1]);
    }
  });
});
