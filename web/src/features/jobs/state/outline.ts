import type { Schemas } from '$shared/api/client';

export type Outline = Schemas['OutlineOut'];
export type FoundArea = Pick<Schemas['FoundAreaOut'], 'name' | 'area' | 'keep_outs' | 'area_ha' | 'home' | 'home_kept'>;
type Place = [number, number];

/** What a person takes from a file: which area, which of the others as keep-outs, which point as home. */
export interface Choice {
  area: number;
  keepOut: number[];
  home: number | null;
}

/** All areas of a file, the largest first. */
export function areasOf(found: Outline): FoundArea[] {
  return [found, ...found.others];
}

/** Whether a file leaves something to choose. */
export function asks(found: Outline): boolean {
  return found.others.length > 0 || found.points.length > 0;
}

/** What is preset: the largest area and nothing else; no point is home unless a person says so. */
export function preset(): Choice {
  return { area: 0, keepOut: [], home: null };
}

/** What of a job the choice changes; home stands where the server has it for that area, where no point was chosen. */
export function taken(found: Outline, choice: Choice) {
  const areas = areasOf(found);
  const main = areas[choice.area]!;
  const more = choice.keepOut
    .filter((k) => k !== choice.area)
    .map((k) => ({ ring: areas[k]!.area, crossing: 'never' as const, margin_m: 5, name: areas[k]!.name }));
  const home = (choice.home === null ? main.home : found.points[choice.home]!.at) as Place;
  return { area: main.area, keep_outs: [...main.keep_outs, ...more], home };
}
