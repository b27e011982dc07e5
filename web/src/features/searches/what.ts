/** A search as it goes back to the server: what people enter of it, without what follows from that. */
import { call } from '$shared/api/call';
import type { Schemas } from '$shared/api/client';
import { partsIn } from '$shared/format/moments';

type Search = Schemas['SearchOut'];
type What = Schemas['SearchFields'];

export function whatOf(s: Search): What & { segments: NonNullable<What['segments']> } {
  return {
    point: s.point,
    seen_at: s.seen_at,
    radius_m: s.radius_m,
    home: s.home,
    rest: s.rest,
    weights: s.weights,
    estimates: s.estimates,
    paths: s.paths,
    waters: s.waters,
    aircraft_ids: s.aircraft_ids,
    sensor: s.sensor as What['sensor'],
    speed_m_s: s.speed_m_s,
    height_m: s.height_m,
    law: s.law as What['law'],
    widths: s.widths,
    teams: s.teams,
    until: s.until,
    segments: s.segments.map((x) => ({
      id: x.id,
      name: x.name,
      ring: x.ring,
      cover: x.cover as 'open',
      access: x.access,
      hazards: x.hazards,
      share: x.typed,
    })),
  };
}

/** Save a search with some of it changed, over the version that was seen. */
export function saved(s: Search, over: Partial<What>) {
  return call('PUT', '/api/searches/{search_id}', {
    params: { path: { search_id: s.id }, query: { version: s.version } },
    body: { name: s.name, person: s.person, kind_id: s.kind_id, what: { ...whatOf(s), ...over } },
  });
}

/** What people enter of a search. */
export type Asked = What;

/** Ground covers as screens name them. */
export const COVERS = ['open', 'scrub', 'wood', 'water', 'rock', 'built'].map((c) => ({ value: c, label: c }));

/** The next moment of a clock time in a zone, as the server reads it; empty where none is entered. */
export function untilAt(clock: string, now: Date, zone = ''): string {
  const [h, m] = clock.split(':').map(Number);
  if (!clock || h === undefined || m === undefined || Number.isNaN(h) || Number.isNaN(m)) return '';
  const today = partsIn(now, zone);
  const past = h * 60 + m <= today.hour * 60 + today.minute;
  const on = new Date(Date.UTC(today.year, today.month - 1, today.day + (past ? 1 : 0)));
  const two = (n: number) => String(n).padStart(2, '0');
  return `${on.toISOString().slice(0, 10)}T${two(h)}:${two(m)}`;
}

/** Outlines of a file as segments with names that no other has; what could not be taken is said. */
export function segmentsOf(file: Schemas['BoundaryOut'], there: readonly { name: string }[]) {
  const used = new Set(there.map((s) => s.name));
  const notes: string[] = [];
  const segments: { id: string; name: string; ring: [number, number][] }[] = [];
  for (const area of file.areas) {
    if (area.problem) {
      notes.push(`${area.name || 'An outline'} was left out: ${area.problem}`);
      continue;
    }
    const stem = (area.name || String(there.length + segments.length + 1)).slice(0, 36);
    let name = stem;
    for (let n = 2; used.has(name); n += 1) name = `${stem} ${n}`;
    used.add(name);
    if (area.holes.length) notes.push(`${name} had ${area.holes.length} holes; they count as part of it.`);
    segments.push({ id: `s${crypto.randomUUID().slice(0, 8)}`, name, ring: area.ring as [number, number][] });
  }
  if (file.lines.length) notes.push(`${file.lines.length} lines and ${file.points.length} points of it were left out.`);
  if (!file.areas.length) notes.push('It holds no outline.');
  return { segments, notes };
}

const numbersOf = (line: string) =>
  line
    .replaceAll(',', '.')
    .match(/-?\d+(\.\d+)?/g)
    ?.map(Number) ?? [];

/** A table of distances as people type it: a share in percent and metres in each line; lines without both are left out. */
export function withinOf(text: string): [number, number][] {
  return text
    .split('\n')
    .map(numbersOf)
    .filter((n) => n.length >= 2)
    .map(([share, metres]) => [share! / 100, metres!]);
}

export const withinText = (within: [number, number][]) =>
  within.map(([share, metres]) => `${Number((share * 100).toFixed(2))} ${metres}`).join('\n');

/** Passes of a trial as people type them: metres to the side, then yes or no. */
export function passesOf(text: string): [number, boolean][] {
  return text
    .split('\n')
    .filter((line) => numbersOf(line).length)
    .map((line) => [Math.abs(numbersOf(line)[0]!), /\b(yes|y|seen|1)\b/i.test(line.replace(/-?\d+([.,]\d+)?/, ''))]);
}
