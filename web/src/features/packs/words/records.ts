/** What each kind of record asks for, and how one reads in a list. */
import type { Schemas } from '$shared/api/client';
import { hours, minutes, percent, show, type Quantity, type System } from '$shared/format/units';

export type RecordKind = Schemas['RecordIn']['kind'];
type Kept = Schemas['RecordOut'];

export interface Field {
  key: string;
  label: string;
  type: 'number' | 'cells' | 'choice' | 'check' | 'text' | 'photo';
  unit?: string;
  quantity?: Quantity;
  scale?: number;
  digits?: number;
  optional?: boolean;
  options?: { value: string; label: string }[];
}

const share = (key: string, label: string, optional = true): Field => ({
  key,
  label,
  type: 'number',
  unit: '%',
  scale: 100,
  digits: 0,
  optional,
});
const warm = (key: string, label: string, optional = true): Field => ({
  key,
  label,
  type: 'number',
  quantity: 'c',
  digits: 1,
  optional,
});
const text = (key: string, label: string): Field => ({ key, label, type: 'text' });

/** What a person chooses to record; a tick of the care list and taking back have buttons of their own. */
export type FormKind = Exclude<RecordKind, 'withdrawal' | 'care'>;

export const RECORDS: Record<FormKind, { label: string; hint?: string; fields: Field[] }> = {
  flight: {
    label: 'a flight',
    fields: [
      { key: 'flown_s', label: 'Flown', type: 'number', unit: 'min', scale: 1 / 60, digits: 1 },
      share('from_frac', 'Charge at take-off'),
      share('to_frac', 'Charge at landing'),
      warm('most_c', 'Warmest'),
      text('aircraft', 'Aircraft'),
      warm('air_c', 'Air'),
    ],
  },
  charge: {
    label: 'a charge',
    hint: 'What was put back after a flight tells the true capacity.',
    fields: [
      share('from_frac', 'Charge before'),
      share('to_frac', 'Charge after'),
      { key: 'put_back_ah', label: 'Put back', type: 'number', unit: 'mAh', scale: 1000, digits: 0, optional: true },
      { key: 'charged_s', label: 'Took', type: 'number', unit: 'min', scale: 1 / 60, digits: 0, optional: true },
      warm('start_c', 'Pack at the start'),
      warm('most_c', 'Warmest'),
      text('mode', 'Rate'),
      text('port', 'Port'),
    ],
  },
  resistance: {
    label: 'resistance by meter',
    hint: 'Only readings at a known temperature can be compared.',
    fields: [
      { key: 'cell_ohm', label: 'Resistance', type: 'cells', unit: 'mΩ' },
      warm('pack_c', 'Pack temperature', false),
      { key: 'pack_ohm', label: 'Whole pack', type: 'number', unit: 'mΩ', scale: 1000, digits: 2, optional: true },
    ],
  },
  'rest volts': {
    label: 'resting voltage',
    hint: 'Rested for an hour or more.',
    fields: [
      { key: 'cell_v', label: 'Volts', type: 'cells', unit: 'V' },
      { key: 'total_v', label: 'or the whole pack', type: 'number', unit: 'V', digits: 2, optional: true },
      warm('pack_c', 'Pack temperature'),
    ],
  },
  capacity: {
    label: 'capacity measured',
    fields: [{ key: 'capacity_ah', label: 'Capacity', type: 'number', unit: 'mAh', scale: 1000, digits: 0 }],
  },
  storage: {
    label: 'storage check',
    fields: [share('charge_frac', 'Charge'), warm('air_c', 'Air'), share('humidity_frac', 'Humidity')],
  },
  mishap: {
    label: 'a mishap',
    hint: 'Swelling and damage ground a pack for good; the others until a lead releases it.',
    fields: [
      {
        key: 'what',
        label: 'What happened',
        type: 'choice',
        options: ['swelling', 'damage', 'hard landing', 'water', 'overheated', 'other'].map((v) => ({ value: v, label: v })),
      },
      text('words', 'In a few words'),
    ],
  },
  look: {
    label: 'a look after a flight',
    hint: 'Tick what you saw; nothing ticked means all is well. Damage or swelling grounds the pack for good.',
    fields: [
      { key: 'props', label: 'Props nicked, loose or bent', type: 'check' },
      { key: 'moisture', label: 'Moisture on pack, contacts or lens', type: 'check' },
      { key: 'damage', label: 'Pack damaged', type: 'check' },
      { key: 'swelling', label: 'Pack swollen, however slightly', type: 'check' },
      text('words', 'In a few words'),
      { key: 'photo', label: 'Photo', type: 'photo' },
    ],
  },
  reading: {
    label: 'charge or temperature read',
    hint: 'What the pack shows before it flies; a preflight list records it by itself.',
    fields: [share('charge_frac', 'Charge'), warm('pack_c', 'Pack temperature')],
  },
  grounding: { label: 'ground pack', fields: [text('words', 'Why')] },
  release: { label: 'release pack', hint: 'It flies again in your name.', fields: [text('words', 'Why')] },
  'alarm levels': {
    label: 'alarm levels set',
    hint: 'Volts of the whole pack at rest, as entered in the aircraft.',
    fields: [
      { key: 'first_v', label: 'Level 1, warns', type: 'number', unit: 'V', digits: 2 },
      { key: 'second_v', label: 'Level 2, lands by itself', type: 'number', unit: 'V', digits: 2 },
      { key: 'loss_v', label: 'Loss under load, if measured', type: 'number', unit: 'V', digits: 2, optional: true },
      { key: 'proven', label: 'A trial flight near home proved them', type: 'check' },
      text('words', 'Note of the trial'),
    ],
  },
  'load test': {
    label: 'a load test',
    fields: [
      { key: 'cell_v', label: 'Lowest volts', type: 'cells', unit: 'V' },
      { key: 'total_v', label: 'or a total', type: 'number', unit: 'V', digits: 2, optional: true },
      share('start_frac', 'Charge at the start'),
      { key: 'rest_cell_v', label: 'or resting voltage of a cell', type: 'number', unit: 'V', digits: 2, optional: true },
      warm('pack_c', 'Pack temperature'),
    ],
  },
};

type F = Record<string, number | string | boolean | number[]>;

/** One line of the history: what was seen or done. */
export function wordsOf(record: Kept, system: System): string {
  const f = record.figures as F;
  const n = (k: string) => f[k] as number;
  const has = (k: string) => f[k] !== undefined && f[k] !== null;
  const parts: string[] = [];
  switch (record.kind) {
    case 'flight':
      parts.push(`${minutes(n('flown_s'))} min`);
      if (has('from_frac') && has('to_frac')) parts.push(`${percent(n('from_frac'))} to ${percent(n('to_frac'))}`);
      if (has('lowest_v')) parts.push(`lowest cell ${n('lowest_v').toFixed(2)} V`);
      if (has('aircraft')) parts.push(String(f.aircraft));
      break;
    case 'charge':
      if (has('to_frac')) parts.push(`${has('from_frac') ? `${percent(n('from_frac'))} ` : ''}to ${percent(n('to_frac'))}`);
      if (has('put_back_ah')) parts.push(`${(n('put_back_ah') * 1000).toFixed(0)} mAh`);
      if (has('charged_s')) parts.push(hours(n('charged_s')));
      if (has('port')) parts.push(String(f.port));
      break;
    case 'load test':
    case 'rest volts':
      if (has('cell_v')) parts.push((f.cell_v as number[]).map((v) => v.toFixed(2)).join(' '));
      if (has('total_v')) parts.push(`${n('total_v').toFixed(2)} V in all`);
      if (has('start_frac')) parts.push(`from ${percent(n('start_frac'))}`);
      break;
    case 'resistance':
      parts.push(`${(f.cell_ohm as number[]).map((v) => (1000 * v).toFixed(2)).join(' ')} mΩ`);
      break;
    case 'capacity':
      parts.push(`${(n('capacity_ah') * 1000).toFixed(0)} mAh`);
      break;
    case 'storage':
      if (has('charge_frac')) parts.push(`at ${percent(n('charge_frac'))}`);
      if (has('air_c')) parts.push(`air ${show(n('air_c'), 'c', system)}`);
      if (has('humidity_frac')) parts.push(`humidity ${percent(n('humidity_frac'))}`);
      break;
    case 'look': {
      const seen = ['props', 'moisture', 'damage', 'swelling'].filter((k) => f[k]);
      parts.push(seen.length ? seen.join(', ') : 'all well');
      if (has('words')) parts.push(String(f.words));
      break;
    }
    case 'reading':
      if (has('charge_frac')) parts.push(`at ${percent(n('charge_frac'))}`);
      break;
    case 'alarm levels':
      parts.push(`${n('first_v').toFixed(1)} V and ${n('second_v').toFixed(1)} V${f.proven ? ', proven' : ', not proven'}`);
      break;
    default:
      parts.push(...['what', 'task', 'words'].filter(has).map((k) => String(f[k])));
  }
  if (has('pack_c') || has('most_c')) parts.push(show((f.pack_c ?? f.most_c) as number, 'c', system, 0));
  if (record.note) parts.push(record.note);
  return parts.join(' · ');
}
