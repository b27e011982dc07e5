/** What the history says, in words. */

/** Kinds of things that the history is about; `leads`: for leads alone. */
export const KINDS: { value: string; label: string; leads?: boolean }[] = [
  { value: 'pack', label: 'packs' },
  { value: 'job', label: 'jobs' },
  { value: 'day', label: 'days' },
  { value: 'limits', label: 'limits' },
  { value: 'preflight', label: 'preflight lists' },
  { value: 'policy', label: 'policy' },
  { value: 'calibration', label: 'calibrations' },
  { value: 'spray_record', label: 'spray records' },
  { value: 'search', label: 'searches' },
  { value: 'person_kind', label: 'kinds of person' },
  { value: 'sweep_trial', label: 'sweep width trials' },
  { value: 'batch', label: 'store' },
  { value: 'log', label: 'logs' },
  { value: 'weather', label: 'weather' },
  { value: 'terrain', label: 'terrain' },
  { value: 'imagery', label: 'imagery' },
  { value: 'company', label: 'company' },
  { value: 'person', label: 'people' },
  { value: 'session', label: 'sign-ins', leads: true },
  { value: 'right', label: 'refusals', leads: true },
  { value: 'token', label: 'tokens', leads: true },
];

const ACTIONS: Record<string, string> = {
  'session.opened': 'signed in',
  'session.refused': 'wrong password tried',
  'session.ended': 'session ended',
  'session.all_ended': 'all sessions ended',
  'right.refused': 'refused',
  'person.password_reset': 'password reset',
  'person.password_changed': 'password changed',
  'person.password_set_by_letter': 'password set by e-mail',
  'person.second_step_added': 'second step added',
  'person.second_step_removed': 'second step removed',
  'person.second_steps_removed': 'second steps removed',
  'person.spare_codes_made': 'spare codes made',
  'person.anonymised': 'anonymised',
  'logs.read_in': 'logs imported',
  'logs.columns_told': 'columns of a log named',
  'pack.read_in': 'packs imported',
  'organisation.made': 'company added',
  'calibration.rolled_back': 'calibration rolled back',
};

/** "pack.grounded" as "pack grounded", or what people say instead. */
export const actionWords = (action: string): string =>
  ACTIONS[action] ?? action.replace('.', ' ').replaceAll('_', ' ').replaceAll('-', ' ');

const MOST = 4;
const entries = (n: number) => `${n} ${n === 1 ? 'entry' : 'entries'}`;

/** A value as it stands in a line: short, and never the shape of a program. */
export function value(of: unknown): string {
  if (of === null || of === undefined || of === '') return '—';
  if (typeof of === 'boolean') return of ? 'yes' : 'no';
  if (typeof of === 'number') return String(Math.round(of * 1e4) / 1e4);
  if (Array.isArray(of)) return of.length > 3 ? entries(of.length) : of.map(value).join(', ') || '—';
  if (typeof of === 'object') return entries(Object.keys(of).length);
  const text = String(of);
  return text.length > 40 ? `${text.slice(0, 39)}…` : text;
}

type Figures = Record<string, unknown> | null | undefined;

/** "role: viewer → pilot; active: yes → no"; of a new thing its figures; at most some of them. */
export function changes(before: Figures, after: Figures): string {
  const keys = Object.keys(after ?? before ?? {}).filter((k) => k !== 'id' && !k.endsWith('_id'));
  const parts = keys.slice(0, MOST).map((k) => {
    const name = k.replaceAll('_', ' ');
    if (!after) return `${name}: ${value(before?.[k])} → removed`;
    return before ? `${name}: ${value(before[k])} → ${value(after[k])}` : `${name}: ${value(after[k])}`;
  });
  if (keys.length > MOST) parts.push(`${keys.length - MOST} more`);
  return parts.join('; ');
}
