/** Figures and limits of a verdict in words; what they are is the server's to say. */
import type { Schemas } from '$shared/api/client';
import { digits, percent } from '$shared/format/units';

type Rule = Schemas['RuleOut'];
const DAYS_A_MONTH = 30.44;
const SMALL_V = 0.6; // differences between cells read better in thousandths

/** A figure of a rule with its unit. */
export function figureOf(value: number, unit: string): string {
  if (unit === 'share') return percent(value);
  if (unit === 'V') return Math.abs(value) < SMALL_V ? `${digits(1000 * value)} mV` : `${digits(value, 2)} V`;
  if (unit === '°C') return `${digits(value)} °C`;
  if (unit === 'times') return `${digits(value, 2)} ×`;
  if (unit === 'days') return value >= 100 ? `${digits(value / DAYS_A_MONTH)} months` : `${digits(value)} days`;
  return digits(value);
}

/** The limits of a rule: from which figure on it says what. */
export function limitsOf(rule: Rule): string {
  return (
    rule.limits
      .map((l) => `${l.kind} ${l.kind === 'good' ? '>' : l.falling ? '≤' : '≥'} ${figureOf(l.value, rule.unit)}`)
      .join(', ') || rule.says
  );
}
