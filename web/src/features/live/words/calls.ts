import type { LiveState } from '../state/live.svelte';
import type { Call, Live } from './words';

const BACK_S = 1200;

/** Whose calls a device shows: those of the aircraft, of the bench, or all. */
export type Whose = 'all' | 'pilot' | 'handler';
export const WHOSE: readonly { id: Whose; words: string }[] = [
  { id: 'all', words: 'All calls' },
  { id: 'pilot', words: 'Aircraft' },
  { id: 'handler', words: 'Charging' },
];

/** Whether a call is shown to somebody. An emergency is everybody's; what the lead answers, a pilot may. */
export const isOf = (c: Call, whose: Whose) =>
  whose === 'all' || c.kind === 'emergency' || (whose === 'handler' ? c.owner === 'handler' : c.owner !== 'handler');

/** The calls that nobody has answered on this device yet. */
export const callsOf = (run: LiveState, live: Live) => live.calls.filter((c) => !run.answered.includes(c.id));

/** Those of them that this device shows. */
export const shownOf = (run: LiveState, live: Live) => callsOf(run, live).filter((c) => isOf(c, run.whose));

/** What is to be done next: what was chosen, else the first. A moment to turn back is said in the red band: what the hands do comes first. */
export function nextOf(run: LiveState, live: Live): Call | null {
  if (live.closed) return null;
  const calls = shownOf(run, live);
  const first = calls.find((c) => c.kind !== 'turn_back') ?? calls[0] ?? null;
  if (first?.kind === 'emergency') return first;
  return calls.find((c) => c.id === run.chosen) ?? first;
}

/** Moments to turn back that are near, of what is in the air and not coming home yet. */
export function backsOf(run: LiveState, live: Live): Call[] {
  const up = new Set(live.flights.filter((f) => f.word === 'airborne').map((f) => f.id));
  return callsOf(run, live).filter((c) => c.kind === 'turn_back' && up.has(c.flight) && c.at_s - run.nowS < BACK_S);
}
