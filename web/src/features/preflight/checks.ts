/** How a check reads and which comes next. Judging is the server's. */
import type { Schemas } from '$shared/api/client';

export type Check = Schemas['CheckLine'];
type Value = boolean | number | number[] | null;

/** The next open check after one, else the first open of all, else the one itself. */
export function nextOpen(checks: Check[], after: string): string {
  const k = checks.findIndex((c) => c.key === after);
  const ahead = checks.slice(k + 1).find((c) => !c.done);
  return (ahead ?? checks.find((c) => !c.done) ?? checks[Math.max(0, k)])?.key ?? '';
}

/** An entry as it stands in the list: the lowest of cells, a number in its unit, nothing for a tick. */
export function spoken(check: Check, value: Value): string {
  if (value === null || typeof value === 'boolean') return '';
  if (Array.isArray(value)) return value.length ? `${Math.min(...value).toFixed(2)} V` : '';
  const text = (value * check.scale).toFixed(check.decimals);
  return check.unit ? `${text} ${check.unit}` : text;
}

/** What was typed so far, with its sign. */
export function padded(digits: string, minus: boolean): string {
  return digits || minus ? `${minus ? '−' : ''}${digits}` : '';
}

/** The limit of a check in words, with whose it is. */
export function boundWords(check: Check): string {
  const side = (b: Check['least'], words: string) =>
    b ? `${words} ${(b.value * check.scale).toFixed(check.decimals)}${check.unit ? ` ${check.unit}` : ''} (${b.sheet})` : '';
  return [side(check.least, 'at least'), side(check.most, 'at most')].filter(Boolean).join(', ');
}
