import { clock, percent } from '$shared/format/units';
import { callLine, opensAt, tapOf, type Call, type Live, type Tapped } from './words';

type Pack = Live['packs'][number];
type Port = Live['ports'][number];
type Aircraft = Live['aircraft'][number];

/** What somebody may say of a thing, whatever is called next: its words, what follows, and the tap it makes. */
export interface Doing {
  words: string;
  then: string;
  tap: Tapped;
  /** What it takes with it: asked before it is recorded. */
  ask?: string;
  /** The call that it answers. */
  call?: string;
}

const FULL = 0.985;
const ground = (pack: string, why: string): Doing => ({
  words: why,
  then: 'ground pack',
  tap: { kind: 'pack_out', figures: { pack, why: why.toLowerCase() } },
});
const fault = (port: number): Doing => ({
  words: 'Report fault',
  then: `port ${port} is used no more`,
  tap: { kind: 'port_dead', figures: { port } },
});
const off = (pack: string, port: number): Doing => ({
  words: `Take ${pack} off port ${port}`,
  then: 'to rest',
  tap: { kind: 'off_port', figures: { pack } },
});
const on = (pack: string, port: number, then: string): Doing => ({
  words: `Put ${pack} on port ${port}`,
  then,
  tap: { kind: 'on_port', figures: { pack, port } },
});

/** What may have happened to a pack. */
export function ofPack(p: Pack, live: Live): Doing[] {
  const weak = ground(p.name, 'Weak');
  const hot = ground(p.name, 'Hot or swollen');
  if (p.word === 'out')
    return p.why.startsWith('lost with')
      ? []
      : [{ words: `${p.name} flies again`, then: 'back in the day', tap: { kind: 'pack_back', figures: { pack: p.name } } }];
  if (p.word === 'air') return [];
  const test = (word: string, words: string, then: string): Doing => ({
    words,
    then,
    tap: { kind: 'tested', figures: { pack: p.name, word } },
  });
  const free = live.ports.filter((x) => p.charges_on.includes(x.port) && !x.dead && (!x.pack || x.pack === p.name));
  const moves =
    p.word === 'port'
      ? [off(p.name, p.port), ...free.filter((x) => x.port !== p.port).map((x) => on(p.name, x.port, 'moved'))]
      : free.map((x) => on(p.name, x.port, 'to charge'));
  const tests = [
    test('good', 'Load test: good', 'it may fly'),
    test('weak', 'Load test: weak', 'noted, it flies'),
    test('bad', 'Load test: failed', 'out of the day'),
  ];
  return [...moves, hot, weak, ...tests];
}

/** What may have happened at a port. */
export function ofPort(port: Port, live: Live): Doing[] {
  if (port.dead)
    return [
      {
        words: `Port ${port.port} works again`,
        then: 'used from now on',
        tap: { kind: 'port_back', figures: { port: port.port } },
      },
    ];
  if (port.pack) return [off(port.pack, port.port), ground(port.pack, 'Hot or swollen'), fault(port.port)];
  const rest = live.packs.filter((p) => p.word === 'rest' && p.frac < FULL && p.charges_on.includes(port.port));
  const share = (p: Pack) => `${Math.round(p.frac * 100)} %`;
  return [...rest.sort((a, b) => b.frac - a.frac).map((p) => on(p.name, port.port, share(p))), fault(port.port)];
}

/** What may have happened to an aircraft on the ground: launched on any of its sets, checked, or a sortie given up. */
export function ofAircraft(a: Aircraft, live: Live): Doing[] {
  const found: Doing[] = [];
  const shares = new Map<string, number>();
  for (const p of live.packs)
    if (p.word === 'rest' || p.word === 'port') shares.set(p.set, Math.min(shares.get(p.set) ?? 1, p.frac));
    else shares.set(p.set, -1);
  if (a.next) {
    const sets = a.sets.filter((s) => (shares.get(s) ?? -1) > 0).sort((x, y) => shares.get(y)! - shares.get(x)!);
    for (const set of sets)
      found.push({
        words: `${a.next} is up on ${set}`,
        then: `${Math.round(shares.get(set)! * 100)} % charged`,
        tap: { kind: 'launched', figures: { flight: a.next, set, aircraft: a.id } },
      });
  }
  found.push({ words: 'Preflight done', then: a.name, tap: { kind: 'checked', figures: { aircraft: a.id } } });
  if (a.next)
    found.push({
      words: `Give up ${a.next}`,
      then: 'not flown today',
      tap: { kind: 'dropped', figures: { flight: a.next } },
      ask: `${a.next} is taken out of the day. What it was to do stays undone.`,
    });
  return found;
}

/** What ends an emergency other than a landing. */
export function ofEmergency(c: Call): Doing[] {
  return [
    { words: 'False alarm', then: 'it flies on', tap: { kind: 'emergency_over', figures: { flight: c.flight } } },
    {
      words: 'Lost',
      then: 'it does not come back',
      tap: { kind: 'lost', figures: { flight: c.flight } },
      ask: `${c.aircraft_name} is recorded as lost on ${c.flight}. Its packs and its other sorties leave the day.`,
    },
  ];
}

/** A pack that is called off its port later than so long from now is asked about. */
const EARLY_S = 120;

/** What is asked before a pack is taken off its port long before it is full; nothing where its time has come. */
export function ofEarly(c: Call, nowS: number, live: Live): Doing | null {
  const tap = c.kind === 'off_port' && c.at_s - nowS > EARLY_S ? tapOf(c) : null;
  if (!tap) return null;
  const pack = live.packs.find((p) => p.name === c.pack);
  return {
    words: callLine(c),
    then: 'to rest',
    tap,
    call: c.id,
    ask: `It charges until ${clock(opensAt(live), c.at_s)}${pack ? ` and is at ${percent(pack.frac)} now` : ''}. The plan goes on with what is in it.`,
  };
}
