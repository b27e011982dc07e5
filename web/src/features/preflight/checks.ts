/** How a check reads and which comes next. Judging is the server's. */
import type { Schemas } from '$shared/api/client';

export type Check = Schemas['CheckLine'];
export type Entered = boolean | number | number[] | null;
type Value = Entered;
export type Known = Record<string, { value: number | number[]; words: string; now: boolean }>;

/** What one tap enters: what is known already with where it is from, then what is entered most often. */
export function likelyOf(check: Check, known: Known): { words: string; from: string; value: number | number[] }[] {
  // Cells of an earlier test stand in their boxes: one that differs is typed over.
  const told = check.entry === 'cells' && !known[check.key]?.now ? undefined : known[check.key];
  const mine = told
    ? [
        {
          words: Array.isArray(told.value) ? told.value.map((v) => v.toFixed(2)).join('  ') : spoken(check, told.value),
          from: told.words,
          value: told.value,
        },
      ]
    : [];
  const often = check.likely
    .map((n) => ({ words: check.unit ? `${n} ${check.unit}` : String(n), from: '', value: n / check.scale }))
    .filter((n) => n.words !== mine[0]?.words);
  return [...mine, ...often];
}

/** What one tap enters for a whole part: its open ticks, and the open numbers that this take-off tells; all are listed beside it. */
export function asShown(lines: Check[], known: Known): Record<string, Entered> {
  const open = lines.filter((c) => !c.done);
  return Object.fromEntries(
    open
      .filter((c) => c.entry === 'tick' || known[c.key]?.now)
      .map((c) => [c.key, c.entry === 'tick' ? true : known[c.key]!.value]),
  );
}

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
