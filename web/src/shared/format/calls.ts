import type { Schemas } from '../api/client';
import { isolated } from './names';

export type Call = Schemas['LiveCall'];

/** A call in two short lines, as large as the screen. */
export function callLines(c: Call): [string, string] {
  switch (c.kind) {
    case 'launch':
      return [`Launch ${c.flight}`, `${isolated(c.aircraft_name)} on ${isolated(c.set)}`];
    case 'land':
      return [`Land ${c.flight}`, `${isolated(c.set)} to rest`];
    case 'turn_back':
      return [`Turn back`, `${c.flight}, ${isolated(c.aircraft_name)}`];
    case 'call_home':
      return [`Call ${c.flight} home`, isolated(c.aircraft_name)];
    case 'on_port':
      return [`Pack ${isolated(c.pack)}`, `on port ${c.port}`];
    case 'off_port':
      return [`Pack ${isolated(c.pack)}`, `off port ${c.port}`];
    case 'fit':
      return [`Fit ${isolated(c.set)}`, `into ${isolated(c.aircraft_name)}`];
    case 'warm':
      return [`Warm ${isolated(c.set)}`, `for ${c.flight}`];
    case 'test':
      return [`Load-test`, `pack ${isolated(c.pack)}`];
    case 'preflight':
      return [`Preflight`, `${isolated(c.aircraft_name)}, ${c.flight}`];
    case 'refuel':
      return [`Refuel`, isolated(c.set)];
    case 'gate':
      return [`Check`, `the weather`];
    case 'emergency':
      return [`Emergency`, `${c.flight}, ${isolated(c.aircraft_name)}`];
    default:
      return ['Close the day', 'all planned is flown'];
  }
}

export const callLine = (c: Call) => callLines(c).join(' ');

/** Seconds as a countdown: 1:38, or how long it is overdue. */
export function countdown(s: number): string {
  const t = Math.abs(Math.round(s));
  const h = Math.floor(t / 3600);
  const m = Math.floor((t % 3600) / 60);
  const two = (n: number) => String(n).padStart(2, '0');
  return h ? `${h}:${two(m)}:${two(t % 60)}` : `${m}:${two(t % 60)}`;
}
