/** Two versions of the same thing, told apart in words: only what differs, each figure with its unit. */
import { minutes, percent, show } from './units';

type System = 'metric' | 'imperial';
export interface Difference {
  what: string;
  mine: string;
  theirs: string;
}
/** How a figure is written by the end of its name; longer endings first. */
const ENDINGS: [ending: string, words: (v: number, units: System) => string][] = [
  ['_kg_m3', (v) => `${v} kg/m³`],
  ['_l_ha', (v, u) => show(v, 'l_ha', u)],
  ['_l_min', (v, u) => show(v, 'l_min', u)],
  ['_m_s', (v, u) => show(v, 'm_s', u)],
  ['_frac', (v) => percent(v)],
  ['_deg', (v) => `${Math.round(v)}°`],
  ['_kg', (v) => `${v} kg`],
  ['_min', (v) => `${v} min`],
  ['_ha', (v, u) => show(v, 'ha', u)],
  ['_cm', (v, u) => show(v, 'cm', u)],
  ['_px', (v) => `${v} px`],
  ['_mm', (v) => `${v} mm`],
  ['_s', (v) => `${minutes(v)} min`],
  ['_m', (v, u) => show(v, 'm', u)],
  ['_l', (v, u) => show(v, 'l', u)],
  ['_c', (v, u) => show(v, 'c', u)],
];

function named(key: string): { words: string; write: ((v: number, u: System) => string) | null } {
  const found = ENDINGS.find(([ending]) => key.endsWith(ending) && key.length > ending.length);
  return { words: (found ? key.slice(0, -found[0].length) : key).replaceAll('_', ' '), write: found?.[1] ?? null };
}

type Plain = Record<string, unknown>;
const isRecord = (v: unknown): v is Plain => !!v && typeof v === 'object' && !Array.isArray(v);
const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
const isPlace = (v: unknown): v is [number, number] =>
  Array.isArray(v) && v.length === 2 && v.every((x) => typeof x === 'number');

function value(v: unknown, key: string, units: System): string {
  if (v === null || v === undefined || v === '') return 'not set';
  if (typeof v === 'boolean') return v ? 'yes' : 'no';
  if (typeof v === 'number') return named(key).write?.(v, units) ?? String(v);
  if (isPlace(v)) return `${v[1].toFixed(5)}°, ${v[0].toFixed(5)}°`;
  if (Array.isArray(v)) {
    if (!v.length) return 'none';
    return v.every((x) => typeof x === 'string' || typeof x === 'number') ? v.join(', ') : `${v.length}`;
  }
  if (isRecord(v)) return String(v.name ?? v.words ?? 'set');
  return String(v);
}

/** Return what differs; `words` names the parts as the screen does. */
export function differences(
  mine: Plain,
  theirs: Plain,
  words: Record<string, string>,
  units: System,
  within: string[] = [],
): Difference[] {
  const rows: Difference[] = [];
  for (const key of new Set([...Object.keys(mine), ...Object.keys(theirs)])) {
    const [a, b] = [mine[key], theirs[key]];
    if (same(a, b)) continue;
    const called = words[key] ?? named(key).words;
    const path = called ? [...within, called] : within;
    if (isRecord(a) && isRecord(b)) rows.push(...differences(a, b, words, units, path));
    else if (Array.isArray(a) && Array.isArray(b) && [...a, ...b].every(isRecord)) rows.push(...pieces(a, b, words, units, path));
    else if (isLine(a) && isLine(b)) rows.push({ what: path.join(', '), mine: corners(a, b), theirs: corners(b, a) });
    else rows.push({ what: path.join(', '), mine: value(a, key, units), theirs: value(b, key, units) });
  }
  return rows;
}

const isLine = (v: unknown): v is unknown[] => Array.isArray(v) && v.length > 0 && v.every(isPlace);
function corners(line: unknown[], other: unknown[]): string {
  const count = `${line.length} corners`;
  if (line.length !== other.length) return count;
  const moved = line.filter((p, k) => !same(p, other[k])).length;
  return `${count}, ${moved} elsewhere`;
}

/** Lists of things with names: the same place in both lists is the same thing. */
function pieces(a: Plain[], b: Plain[], words: Record<string, string>, units: System, path: string[]): Difference[] {
  if (a.length !== b.length) {
    const names = (list: Plain[]) =>
      `${list.length}${list.some((x) => x.name) ? `: ${list.map((x) => x.name || '–').join(', ')}` : ''}`;
    return [{ what: path.join(', '), mine: names(a), theirs: names(b) }];
  }
  return a.flatMap((one, k) =>
    differences(one, b[k]!, words, units, [...path.slice(0, -1), `${path.at(-1)} ${(one.name as string) || k + 1}`]),
  );
}
