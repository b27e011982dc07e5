import type { Schemas } from '$shared/api/client';
import { sensitiveOf, siteOf, type Job } from './draft.svelte';
import { turned } from './places';

export type Boundary = Schemas['BoundaryOut'];
export type Note = Schemas['NoteOut'];
type Place = [number, number];
export type AreaUse = 'area' | 'cross' | 'never' | 'sensitive' | 'nothing';
export type LineUse = 'nothing' | 'corridor' | 'area' | 'sensitive';
export type PointUse = 'home' | 'landing' | 'obstacle' | 'other home' | 'sensitive' | 'nothing';

/** What a person takes from a file, each shape by its place in it; holes are ruled all at once. */
export interface Choice {
  areas: AreaUse[];
  lines: LineUse[];
  widths: number[];
  points: PointUse[];
  holes: 'unworked' | 'never';
  margin: number;
  add: boolean;
}

const WIDTH_M = 30;
const OBSTACLE_M = { radius_m: 5, top_m: 20 };

/** What is put forward: every area of its own, nothing of lines and of points that are not our own. */
export function preset(found: Boundary): Choice {
  const first = found.areas.flatMap((a) => a.holes)[0];
  return {
    areas: found.areas.map((a) => (a.use === 'area' ? 'area' : a.use === 'keep-out' ? 'cross' : 'nothing')),
    lines: found.lines.map((l) => (!found.areas.length && found.lines.length === 1 && !l.closed ? 'corridor' : 'nothing')),
    widths: found.lines.map((l) => l.width_m ?? WIDTH_M),
    points: found.points.map((p) => (p.own ? p.looks_like : 'nothing')),
    holes: first?.crossing ?? 'unworked',
    margin: first?.margin_m ?? 0,
    add: false,
  };
}

/** How many areas a choice gives. */
export function areasTaken(choice: Choice): number {
  return choice.areas.filter((u) => u === 'area').length + choice.lines.filter((u) => u === 'corridor' || u === 'area').length;
}

/** The sensitive places that a choice gives: what a spraying job stays off. */
function sensitiveTaken(found: Boundary, choice: Choice) {
  const named = (name: string) => name.slice(0, 60);
  return [
    ...found.areas
      .filter((_, k) => choice.areas[k] === 'sensitive')
      .map((a) => sensitiveOf(a.ring as Place[], true, named(a.name))),
    ...found.lines
      .filter((_, k) => choice.lines[k] === 'sensitive')
      .map((l) => sensitiveOf(l.places as Place[], l.closed, named(l.name))),
    ...found.points
      .filter((_, k) => choice.points[k] === 'sensitive')
      .map((p) => sensitiveOf([p.at as Place], false, named(p.name))),
  ];
}

/** Whether a choice can be used: it gives the job areas, or adds places to those that it has. */
export function usable(choice: Choice, replaces: boolean): boolean {
  const places = [...choice.areas, ...choice.lines, ...choice.points].includes('sensitive');
  return areasTaken(choice) > 0 || (replaces && choice.add && places);
}

/** Choose what a point is; there is one home. */
export function withPoint(choice: Choice, k: number, use: PointUse): Choice {
  const points = choice.points.map((p, i) => (i === k ? use : use === 'home' && p === 'home' ? 'nothing' : p));
  return { ...choice, points };
}

/** What of a job a choice changes. Home stays, or stands at a corner, where no point was chosen. */
export function taken(found: Boundary, choice: Choice, job: Job): Partial<Job> {
  const plain = { left_out: false, bearing_deg: null, corridor_m: null, rate_l_ha: null };
  const areas: Job['areas'] = [];
  const keepOuts: Job['keep_outs'] = found.keep_outs.map(({ filled_by: _, ...k }) => k);
  found.areas.forEach((a, k) => {
    const use = choice.areas[k];
    if (use === 'area') {
      areas.push({ ...plain, name: a.name, ring: a.ring, bearing_deg: a.bearing_deg, rate_l_ha: a.rate_l_ha });
      for (const { filled_by, ...hole } of a.holes) {
        const filled = filled_by !== null && choice.areas[filled_by] === 'area';
        // Our own files say how each may be crossed; holes of others are ruled by the choice.
        const own = hole.name !== '' || hole.margin_m > 0 || hole.crossing === 'never';
        if (!filled) keepOuts.push(own ? hole : { ...hole, crossing: choice.holes, margin_m: choice.margin });
      }
    } else if (use === 'cross' || use === 'never') {
      const crossing = use === 'never' ? ('never' as const) : ('unworked' as const);
      keepOuts.push({ ring: a.ring, crossing, margin_m: use === 'never' ? choice.margin : 0, name: a.name });
    }
  });
  found.lines.forEach((l, k) => {
    const own = { ...plain, name: l.name, bearing_deg: l.bearing_deg, rate_l_ha: l.rate_l_ha };
    if (choice.lines[k] === 'corridor') areas.push({ ...own, ring: l.places, corridor_m: choice.widths[k] ?? WIDTH_M });
    else if (choice.lines[k] === 'area') areas.push({ ...own, ring: l.closed ? l.places.slice(0, -1) : l.places });
  });
  const pick = (use: PointUse) => found.points.filter((_, k) => choice.points[k] === use);
  const sensitive = sensitiveTaken(found, choice);
  // Places alone move no home.
  const home = pick('home')[0]?.at ?? (areas.length ? found.home : job.home);
  const here = siteOf(job);
  const site = {
    ...here,
    sensitive: [...(here.sensitive ?? []), ...sensitive],
    fallbacks: [
      ...(choice.add ? (here.fallbacks ?? []) : []),
      ...pick('landing').map((p) => ({ name: p.name.slice(0, 60), at: p.at })),
    ],
    homes: [
      ...(choice.add ? (here.homes ?? []) : []),
      ...pick('other home').map((p) => ({ name: p.name.slice(0, 60), at: p.at })),
    ],
    obstacles: [
      ...(choice.add ? (here.obstacles ?? []) : []),
      ...pick('obstacle').map((p) => ({
        name: p.name.slice(0, 60),
        at: p.at,
        radius_m: p.radius_m ?? OBSTACLE_M.radius_m,
        top_m: p.top_m ?? OBSTACLE_M.top_m,
      })),
    ],
  };
  return {
    areas: choice.add ? [...job.areas, ...areas] : areas,
    keep_outs: choice.add ? [...job.keep_outs, ...keepOuts] : keepOuts,
    home: home as Place,
    site:
      choice.add || pick('landing').length + pick('other home').length + pick('obstacle').length + sensitive.length
        ? site
        : job.site,
  };
}

/** What a person left out, in words, to be read beside what the file told. */
export function leftOut(found: Boundary, choice: Choice): Note[] {
  const names = (list: { name: string }[], uses: string[], what: string) =>
    list.flatMap((x, k) => (uses[k] === 'nothing' ? [x.name || `${what} ${k + 1}`] : []));
  const all = [
    ...names(found.areas, choice.areas, 'area'),
    ...names(found.lines, choice.lines, 'line'),
    ...names(found.points, choice.points, 'point'),
  ];
  if (!all.length) return [];
  const words = all.slice(0, 12).join(', ') + (all.length > 12 ? ` and ${all.length - 12} more` : '');
  return [{ did: 'left out', words: `Left out as you chose: ${words}.`, at: null }];
}

/** Places of all shapes of a file, scaled into a box with north up; across 180° as one piece. */
export function intoBox(found: Boundary, width: number, height: number): (place: number[]) => [number, number] {
  const all = [...found.areas.flatMap((a) => a.ring), ...found.lines.flatMap((l) => l.places)] as Place[];
  const first = all[0] ?? [0, 0];
  const east = (p: number[]) => turned(p[0]!, first[0]) - first[0];
  const [west, right] = [Math.min(...all.map(east)), Math.max(...all.map(east))];
  const [south, north] = [Math.min(...all.map((p) => p[1])), Math.max(...all.map((p) => p[1]))];
  const shrink = Math.cos((((south + north) / 2) * Math.PI) / 180) || 1e-6;
  const scale = Math.min(width / Math.max((right - west) * shrink, 1e-9), height / Math.max(north - south, 1e-9));
  const [dx, dy] = [(width - (right - west) * shrink * scale) / 2, (height - (north - south) * scale) / 2];
  return (p) => [dx + (east(p) - west) * shrink * scale, dy + (north - p[1]!) * scale];
}
