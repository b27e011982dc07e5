import type { Opening } from '$shared/format/units';
import { clockIn } from '$shared/format/moments';
import type { Schemas } from '$shared/api/client';
import { callLine, type Call } from '$shared/format/calls';

export { callLine, callLines, countdown, type Call } from '$shared/format/calls';

export type Live = Schemas['LiveOut'];
export type Tapped = { kind: string; figures: Record<string, unknown> };
/** Something else than what was called: its words, what follows, and what is told; none opens a pad. */
export interface Instead {
  words: string;
  then: string;
  tap: Tapped | null;
}

/** What the big answer says. */
export function answerWords(c: Call): string {
  const words: Record<string, string> = {
    launch: 'It is up',
    land: 'It is down',
    turn_back: 'It turns back',
    call_home: 'It comes home',
    on_port: 'It is on',
    off_port: 'It is off',
    fit: 'It is in',
    warm: 'It is warming',
    test: 'It is good',
    preflight: 'It is checked',
    refuel: 'It is full',
    gate: 'It is open',
    emergency: 'It is on the ground',
    close: 'Close the day',
  };
  return words[c.kind] ?? 'Done';
}

/** What a tap on the big answer tells; null where it opens a pad first, or where nothing has to be told. */
export function tapOf(c: Call): Tapped | null {
  switch (c.kind) {
    case 'launch':
      return { kind: 'launched', figures: { flight: c.flight, set: c.set, aircraft: c.aircraft } };
    case 'on_port':
      return { kind: 'on_port', figures: { pack: c.pack, port: c.port, mode: c.mode } };
    case 'off_port':
      return { kind: 'off_port', figures: { pack: c.pack } };
    case 'test':
      return { kind: 'tested', figures: { pack: c.pack, word: 'good' } };
    case 'preflight':
      return { kind: 'checked', figures: { aircraft: c.aircraft } };
    case 'refuel':
      return { kind: 'refuelled', figures: { supply: c.set } };
    case 'gate':
      return { kind: 'gate', figures: { word: 'open' } };
    case 'call_home':
      return { kind: 'homing', figures: { flight: c.flight } };
    case 'turn_back':
    case 'fit':
    case 'warm':
      return { kind: 'note', figures: { words: `${callLine(c)}: done` } };
    default:
      return null;
  }
}

/** How long an answer puts a thing off; the server says. */
export type Puts = Pick<Live, 'not_now_s' | 'gate_look_s'>;

/** The three most likely things that happened instead. */
export function insteadOf(c: Call, nowS: number, puts: Puts): Instead[] {
  const later = Math.round(puts.not_now_s / 60);
  const hold = (words: string): Instead => ({
    words,
    then: `${later} minutes later`,
    tap: { kind: 'hold', figures: { until_s: Math.round(nowS + puts.not_now_s), why: words } },
  });
  const packOut = (pack: string, why: string, then: string): Instead => ({
    words: why,
    then,
    tap: { kind: 'pack_out', figures: { pack, why: why.toLowerCase() } },
  });
  const port: Instead = { words: 'Port fault', then: 'another port', tap: { kind: 'port_dead', figures: { port: c.port } } };
  switch (c.kind) {
    case 'launch':
      return [
        hold('Not ready'),
        packOut(c.set.split(' + ')[0]!, 'Pack failed', 'ground pack'),
        {
          words: 'Gate closed',
          then: 'wait half an hour',
          tap: { kind: 'gate', figures: { word: 'closed', until_s: Math.round(nowS + puts.gate_look_s), why: 'closed by hand' } },
        },
      ];
    case 'land':
      return [
        { words: 'Came back early', then: 'part is left to fly', tap: null },
        {
          words: 'Hard landing',
          then: 'noted: look it over',
          tap: { kind: 'landed', figures: { flight: c.flight, marks: ['hard landing'] } },
        },
        {
          words: 'Still flying',
          then: 'ask again in 2 min',
          tap: { kind: 'note', figures: { words: `${c.flight} is still flying` } },
        },
      ];
    case 'on_port':
      return [port, packOut(c.pack, 'Hot or swollen', 'ground pack'), hold('Not now')];
    case 'off_port':
      return [
        {
          words: 'Not full',
          then: 'leave it on',
          tap: { kind: 'note', figures: { words: `${c.pack} is not full yet` } },
        },
        packOut(c.pack, 'Hot or swollen', 'ground pack'),
        port,
      ];
    case 'test':
      return [
        { words: 'It is weak', then: 'noted, it flies', tap: { kind: 'tested', figures: { pack: c.pack, word: 'weak' } } },
        { words: 'It failed', then: 'out of the day', tap: { kind: 'tested', figures: { pack: c.pack, word: 'bad' } } },
        hold('Not now'),
      ];
    case 'call_home':
      return [
        { words: 'No link to it', then: 'kept on the list', tap: { kind: 'note', figures: { words: `no link to ${c.flight}` } } },
      ];
    case 'gate': {
      const until = Math.round(nowS + puts.gate_look_s);
      const tap: Tapped = { kind: 'gate', figures: { word: 'closed', until_s: until, why: 'closed by hand' } };
      return [{ words: 'Still closed', then: 'look in half an hour', tap }];
    }
    default:
      return [hold('Not now')];
  }
}

/** Where more of a call is done than a tap can say. */
export function moreOf(c: Call, live: Live): { href: string; words: string } | null {
  const pack = live.packs.find((p) => p.name === c.pack);
  if (c.kind === 'test') return pack ? { href: `/packs/${pack.id}/test`, words: 'Type its cells' } : null;
  if (c.kind !== 'preflight') return null;
  const f = live.flights.find((x) => x.id === c.flight);
  return f ? { href: `/preflight?job=${f.job}&sortie=${f.id.replace(/\D/g, '')}`, words: 'Open the list' } : null;
}

/** When a day opens, on the clocks of its place. */
export const opensAt = (live: Pick<Live, 'opens_at' | 'time_zone'>): Opening => ({
  opens: clockIn(live.opens_at, live.time_zone),
  opens_at: live.opens_at,
  time_zone: live.time_zone,
});
