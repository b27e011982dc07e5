import type { LiveState } from '../state/live.svelte';
import type { Call, Live } from './words';

const BACK_S = 1200;

/** The calls that nobody has answered on this device yet. */
export const callsOf = (run: LiveState, live: Live) => live.calls.filter((c) => !run.answered.includes(c.id));

/** What is to be done next. A moment to turn back is said in the red band: what the hands do comes first. */
export function nextOf(run: LiveState, live: Live): Call | null {
  const calls = callsOf(run, live);
  return live.closed ? null : (calls.find((c) => c.kind !== 'turn_back') ?? calls[0] ?? null);
}

/** Moments to turn back that are near, of what is in the air. */
export function backsOf(run: LiveState, live: Live): Call[] {
  const up = new Set(live.flights.filter((f) => f.word === 'airborne').map((f) => f.id));
  return callsOf(run, live).filter((c) => c.kind === 'turn_back' && up.has(c.flight) && c.at_s - run.nowS < BACK_S);
}
