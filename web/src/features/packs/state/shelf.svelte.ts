import { call } from '$shared/api/call';
import { type Problem, type Schemas } from '$shared/api/client';
import { notices } from '$shared/ui/notices.svelte';
import { LEVELS, type Level } from '$shared/ui/Verdict.svelte';

export type Line = Schemas['PackLine'];
export type Shelf = Schemas['ShelfOut'];
export type Task = Schemas['CareTaskOut'] & { pack: Line };
export type SortKey = 'name' | 'verdict' | 'charge' | 'cycles' | 'capacity' | 'care';
type Records = Schemas['RecordIn'];

export const SORTS: { key: SortKey; label: string }[] = [
  { key: 'name', label: 'number' },
  { key: 'verdict', label: 'verdict, worst first' },
  { key: 'care', label: 'care, latest first' },
  { key: 'charge', label: 'charge, fullest first' },
  { key: 'capacity', label: 'capacity, weakest first' },
  { key: 'cycles', label: 'cycles, most first' },
];

const rank = (level: Level) => LEVELS.indexOf(level);
const late = (p: Line) => Math.max(-1, ...p.tasks.map((t) => t.late));
const byName = (a: Line, b: Line) => a.name.localeCompare(b.name, 'en', { numeric: true });
const ORDER: Record<SortKey, (a: Line, b: Line) => number> = {
  name: byName,
  verdict: (a, b) => rank(b.level) - rank(a.level),
  care: (a, b) => late(b) - late(a),
  charge: (a, b) => b.charge_frac - a.charge_frac,
  capacity: (a, b) => a.health_frac - b.health_frac,
  cycles: (a, b) => b.cycles - a.cycles,
};

/** What is shown of the shelf: filtered by words, model and verdict, then sorted; equal ones by number. */
export function arranged(packs: Line[], search: string, model: string, levels: Level[], sort: SortKey): Line[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const text = (p: Line) =>
    `${p.name} ${p.model} ${p.mates ? `set ${p.mates}` : ''} ${p.level} ${p.words} ${p.tasks.map((t) => t.kind).join(' ')}`.toLowerCase();
  return packs
    .filter((p) => (!model || p.model_id === model) && (!levels.length || levels.includes(p.level as Level)))
    .filter((p) => words.every((w) => text(p).includes(w)))
    .sort((a, b) => ORDER[sort](a, b) || byName(a, b));
}

/** A record of one's own making: the key makes that sending it twice writes it once. */
export function recordOf(kind: Records['kind'], figures: Records['figures'], more: Partial<Records> = {}): Records {
  return { kind, figures, note: '', key: crypto.randomUUID(), ...more };
}

export async function send(packId: string, record: Records) {
  return call('POST', '/api/packs/{pack_id}/records', { params: { path: { pack_id: packId } }, body: record });
}

/** Take a record back; nothing is erased, it just no longer stands. */
export async function withdraw(packId: string, key: string, words: string) {
  return send(packId, recordOf('withdrawal', { words }, { corrects: key }));
}

class ShelfState {
  shelf = $state.raw<Shelf | null>(null);
  problem = $state.raw<Problem | null>(null);

  get tasks(): Task[] {
    const all = (this.shelf?.packs ?? []).flatMap((pack) => pack.tasks.map((t) => ({ ...t, pack })));
    return all.sort((a, b) => urgency(a) - urgency(b) || b.late - a.late || byName(a.pack, b.pack));
  }

  async load(archived = false) {
    const { data, problem } = await call('GET', '/api/packs', { params: { query: { archived } } });
    this.problem = problem;
    if (data) this.shelf = data;
  }

  /** A task of the care list is done: one key, and one to take it back. */
  async done(task: Task) {
    const { data, problem } = await send(task.pack.id, recordOf('care', { task: task.kind }));
    if (problem) notices.say(problem.detail, { bad: true });
    if (data) {
      const key = data.record.key;
      notices.say(`${task.pack.name}: ${task.kind} done`, {
        undo: async () => {
          await withdraw(task.pack.id, key, 'ticked by mistake');
          await this.load();
        },
      });
    }
    await this.load();
  }
}

const URGENT = ['recycle', 'take out of service', 'load test', 'bring to storage', 'monthly check', 'balance', 'order successor'];
function urgency(t: Task): number {
  return URGENT.indexOf(t.kind) + (t.by_itself ? 10 : 0);
}

export const shelf = new ShelfState();
