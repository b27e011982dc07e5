/** Groups of flights that are compared: how their lines are drawn, what they are called, and what is chosen by itself. */
import type { Schemas } from '$shared/api/client';
import { digits, percent, show, type System } from '$shared/format/units';

export type Group = Schemas['GroupIn'];
export type Known = Schemas['GroupingsOut'];
export type GroupBy = 'pack' | 'pack_model' | 'aircraft' | 'aircraft_model' | 'firmware' | 'season' | 'job' | 'person';
type Key = 'pack_id' | 'pack_model_id' | 'aircraft_id' | 'aircraft_model_id' | 'firmware' | 'season' | 'job_id' | 'person';

export const MOST_GROUPS = 6;

/** Told apart by dashes first: at night all have one colour. */
export const LINES: { colour: string; wash: string; dash: string; words: string }[] = [
  { colour: 'var(--tarn)', wash: 'var(--wash-tarn)', dash: '', words: 'solid line' },
  { colour: 'var(--copper)', wash: 'var(--wash-copper)', dash: '8 4', words: 'dashed line' },
  { colour: 'var(--lichen)', wash: 'var(--wash-lichen)', dash: '2 3', words: 'dotted line' },
  { colour: 'var(--heather)', wash: 'var(--wash-heather)', dash: '10 3 2 3', words: 'dash and dot' },
  { colour: 'var(--ink)', wash: 'var(--paper-deep)', dash: '16 5', words: 'long dashes' },
  { colour: 'var(--ink-2)', wash: 'var(--paper-deep)', dash: '8 3 2 3 2 3', words: 'dash and two dots' },
];
export const letterOf = (k: number) => 'ABCDEF'[k]!;

export const WAYS: { by: GroupBy; key: Key; label: string; of: (known: Known) => Schemas['Grouping'][] }[] = [
  { by: 'pack', key: 'pack_id', label: 'pack', of: (k) => k.packs },
  { by: 'pack_model', key: 'pack_model_id', label: 'model of pack', of: (k) => k.pack_models },
  { by: 'aircraft', key: 'aircraft_id', label: 'aircraft', of: (k) => k.aircraft },
  { by: 'aircraft_model', key: 'aircraft_model_id', label: 'model of aircraft', of: (k) => k.aircraft_models },
  { by: 'firmware', key: 'firmware', label: 'firmware', of: (k) => k.firmware },
  { by: 'season', key: 'season', label: 'season', of: (k) => k.seasons },
  { by: 'job', key: 'job_id', label: 'job', of: (k) => k.jobs },
  { by: 'person', key: 'person', label: 'person', of: (k) => k.people },
];

/** Groups of those with the most flights, at most six. */
export function groupsBy(known: Known, by: GroupBy): Group[] {
  const way = WAYS.find((w) => w.by === by)!;
  return way
    .of(known)
    .slice(0, MOST_GROUPS)
    .map((g) => ({ [way.key]: g.id }) as Group);
}

const BOUNDS: [keyof Group, keyof Group, string][] = [
  ['least_air_c', 'most_air_c', 'air'],
  ['least_wind_m_s', 'most_wind_m_s', 'wind'],
  ['least_pack_c', 'most_pack_c', 'pack warmth'],
  ['least_payload_kg', 'most_payload_kg', 'payload'],
  ['begins', 'ends', 'dates'],
];

/** A group in words: what its flights have in common. */
export function nameOfGroup(known: Known, g: Group): string {
  const things = WAYS.flatMap((w) => {
    const found = w.of(known).find((x) => x.id === g[w.key]);
    if (!found) return [];
    return w.by === 'pack' ? `pack ${found.name}` : w.by === 'firmware' ? `firmware ${found.name}` : found.name;
  });
  const within = BOUNDS.filter(([a, b]) => (g[a] ?? null) !== null || (g[b] ?? null) !== null).map(([, , words]) => words);
  if (within.length) things.push(`${within.join(', ')} within bounds`);
  return things.join(', ') || 'all flights';
}

type Condition = Schemas['ImbalanceOut']['condition'];
const CONDITIONS: Record<Condition, { label: string; text?: (v: number, s: System) => string }> = {
  air_c: { label: 'air temperature', text: (v, s) => show(v, 'c', s, 0) },
  wind_m_s: { label: 'wind', text: (v, s) => show(v, 'm_s', s, 1) },
  payload_kg: { label: 'payload', text: (v) => `${digits(v, 2)} kg` },
  from_c: { label: 'pack temperature at take-off', text: (v, s) => show(v, 'c', s, 0) },
  from_frac: { label: 'charge at take-off', text: (v) => percent(v) },
  aircraft_model: { label: 'model of aircraft' },
  pack_model: { label: 'model of pack' },
  firmware: { label: 'firmware' },
  job: { label: 'job' },
  person: { label: 'person' },
  aircraft: { label: 'aircraft' },
  pack: { label: 'pack' },
};
export const conditionWords = (of: Condition[]) => of.map((c) => CONDITIONS[c].label).join(', ');

/** In what groups differ besides what they are compared by, a line for each condition, and what became of it. */
export function imbalanceLines(all: Schemas['ImbalanceOut'][], system: System): string[] {
  const lines = [...new Set(all.map((i) => i.condition))].map((condition) => {
    const mine = all.filter((i) => i.condition === condition);
    const { label, text } = CONDITIONS[condition];
    const say = (v: number | string) => (typeof v === 'number' ? (text?.(v, system) ?? digits(v, 1)) : v);
    const how = typeof mine[0]!.first === 'string' ? 'mostly' : 'on average';
    const groups = mine.map((i) => `${letterOf(i.group)} ${say(i.mine)}`).join(', ');
    const end = mine[0]!.taken_out
      ? 'The adjusted differences are without it.'
      : 'With these flights its effect cannot be told apart from that of the groups.';
    return `They differ in ${label} too: ${how} A ${say(mine[0]!.first)}, ${groups}. ${end}`;
  });
  return lines;
}
