import type { Schemas } from '$shared/api/client';

export type Pin = Schemas['PinIO'];

/** A pin with everything that its form sends. */
export function pin(part: Partial<Pin> & { kind: Pin['kind'] }): Pin {
  return { flight: '', set: '', port: 0, from: '', to: '', ...part };
}

/** The pins of a day with one more; a pin of the same kind on the same thing is replaced. */
export function withPin(pins: Pin[], next: Pin): Pin[] {
  const same = (p: Pin) =>
    p.kind === next.kind &&
    (next.kind === 'set' || next.kind === 'takeoff'
      ? p.flight === next.flight
      : next.kind === 'charge'
        ? p.set === next.set
        : false);
  return [...pins.filter((p) => !same(p)), next];
}

export function wordsOf(p: Pin): string {
  if (p.kind === 'set') return `${p.flight} flies on ${p.set}`;
  if (p.kind === 'takeoff') return `${p.flight} not before ${p.from}`;
  if (p.kind === 'charge') return `${p.set} on charge at ${p.from}`;
  if (p.kind === 'supply') return `no power ${p.from} to ${p.to}`;
  return `port ${p.port} closed ${p.from} to ${p.to}`;
}

/** A time of the plan on the day's clock, to the next five minutes. */
export function snapped(opensS: number, s: number): string {
  const t = Math.max(0, Math.round((opensS + s) / 300) * 300);
  return `${String(Math.floor(t / 3600) % 24).padStart(2, '0')}:${String(Math.floor((t % 3600) / 60)).padStart(2, '0')}`;
}
