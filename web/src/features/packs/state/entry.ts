/** Volts typed without a point: on a tailgate 3 9 7 is 3.97, and the next cell is on. */

/** What digits stand for: the first is whole volts, the rest follow the point. */
export function volts(digits: string): number | null {
  if (!/^\d{2,4}$/.test(digits)) return null;
  return Number(`${digits[0]}.${digits.slice(1)}`);
}

export function shown(digits: string): string {
  return digits.length > 1 ? `${digits[0]}.${digits.slice(1)}` : digits;
}

/** Digits of one cell are complete after three: volts, tenths, hundredths. */
export const COMPLETE = 3;

/** Read a row of rest volts as typed with spaces: 3.85 3.85 3,84, or 385 385 384. Anything else is null. */
export function rowOfVolts(text: string): (number | null)[] {
  return text
    .trim()
    .split(/[\s;]+/)
    .filter(Boolean)
    .map((part) => {
      if (/^\d{3,4}$/.test(part)) return volts(part);
      const n = Number(part.replace(',', '.'));
      return Number.isFinite(n) ? n : null;
    });
}
