import { describe, expect, it } from 'vitest';
import {
  clock,
  dayName,
  digits,
  fromShown,
  hours,
  minutes,
  percent,
  secondsOf,
  show,
  showUnit,
  toShown,
  unitOf,
  type Quantity,
  type System,
} from './units';

const QUANTITIES: Quantity[] = ['m', 'km', 'm_s', 'ha', 'l', 'l_ha', 'l_min', 'cm', 'c', 'ha_h'];
const SYSTEMS: System[] = ['metric', 'imperial'];

describe('units', () => {
  it.each(QUANTITIES.flatMap((q) => SYSTEMS.map((s) => [q, s] as const)))('%s in %s comes back unchanged', (quantity, system) => {
    for (const value of [-12.5, 0, 0.37, 8640]) {
      expect(fromShown(toShown(value, quantity, system), quantity, system)).toBeCloseTo(value, 9);
    }
    expect(unitOf(quantity, system)).not.toBe('');
  });

  // NIST SP 811 (2008), appendix B: conversion factors, quoted from memory.
  it.each([
    [0.3048, 'm', '1 ft'],
    [1609.344, 'km', '1.0 mi'],
    [0.44704, 'm_s', '1.0 mph'],
    [0.40468564, 'ha', '1.0 ac'],
    [3.785411784, 'l', '1.0 US gal'],
    [9.35396, 'l_ha', '1.00 US gal/ac'],
    [0.0254, 'cm', '1.00 in'],
    [100, 'c', '212.0 °F'],
  ] as const)('%s of %s is %s', (value, quantity, text) => {
    expect(show(value, quantity, 'imperial')).toBe(text);
  });

  it('groups thousands with a thin space and keeps what stands after the point', () => {
    expect(digits(1234567)).toBe('1\u202f234\u202f567');
    expect(digits(999)).toBe('999');
    expect(digits(12345.678, 2)).toBe('12\u202f345.68');
    expect(digits(-1234)).toBe('-1\u202f234');
  });

  it.each([
    [1235, '20:35'],
    [59.6, '1:00'],
    [0, '0:00'],
    [-61, '−1:01'],
    [3600, '60:00'],
  ])('%s seconds are %s', (seconds, text) => expect(minutes(seconds)).toBe(text));

  it.each([
    [0, '0 min'],
    [1800, '30 min'],
    [6420, '1 h 47'],
    [3629, '1 h 00'],
  ])('%s seconds are %s in hours', (seconds, text) => expect(hours(seconds)).toBe(text));

  it('tells the time of day from the opening, over midnight too', () => {
    expect(clock('08:00', 9720)).toBe('10:42');
    expect(clock('22:30', 7200)).toBe('00:30');
    expect(secondsOf('07:05')).toBe(25_500);
    expect(dayName('2031-05-06')).toBe('Tuesday 6 May');
  });

  it('shows the numbers of a working in the units of the person', () => {
    expect(showUnit(0.0113, 'm', 'metric')).toBe('1.13 cm');
    expect(showUnit(18.93, 'm', 'metric')).toBe('18.93 m');
    expect(showUnit(18.93, 'm', 'imperial')).toBe('62.11 ft');
    expect(showUnit(5, 'm/s', 'imperial')).toBe('11.18 mph');
    expect(showUnit(1005, 's', 'metric')).toBe('16:45 min');
    expect(showUnit(42.25, 's', 'metric')).toBe('42.3 s');
    expect(showUnit(0.375, '', 'metric')).toBe('0.375');
    expect(showUnit(6, '', 'metric')).toBe('6');
    expect(showUnit(615, 'W', 'imperial')).toBe('615.0 W');
    expect(percent(0.3456)).toBe('35 %');
    expect(percent(0.3456, 1)).toBe('34.6 %');
  });
});
