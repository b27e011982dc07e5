/** What the figures of a job as flown are called, and how they are shown. */
import type { Schemas } from '$shared/api/client';
import { areaWords, percent, show, type System } from '$shared/format/units';
import type { AsFlown } from './flown.svelte';

type Figure = Schemas['FlownFigure'];
type Kind = AsFlown['kind'];

const ONCE: Record<Kind, string> = {
  mapping: 'In one picture or more',
  spraying: 'Sprayed once or more',
  search: 'Swept once or more',
};
const TWICE: Record<Kind, string> = {
  mapping: 'In two pictures or more',
  spraying: 'Sprayed twice or more',
  search: 'Swept twice or more',
};
const COVERED: Record<Kind, string> = { mapping: 'Overlap as wanted', spraying: 'Covered', search: 'Searched as planned' };

const ENOUGH: Record<Kind, string> = {
  mapping: COVERED.mapping,
  spraying: 'Dose as wanted',
  search: 'POD as planned',
};

export const SOURCE: Record<Schemas['FlownSortieOut']['source'], string> = {
  telemetry: 'from telemetry',
  log: 'from its log',
  landing: 'estimate, from its landing',
  photos: 'from its photos',
};

export function figureName(key: string, kind: Kind): string {
  const names: Record<string, string> = {
    covered_frac: COVERED[kind],
    left_m2: 'Not covered',
    once_frac: ONCE[kind],
    twice_frac: TWICE[kind],
    dose_l_ha: 'Mean dose',
    enough_frac: ENOUGH[kind],
    detection_frac: 'Probability of detection (POD), mean',
  };
  return names[key] ?? key;
}

function shown(key: string, value: number, system: System): string {
  if (key === 'left_m2') return areaWords(Math.max(0, value), system);
  if (key === 'dose_l_ha') return show(value, 'l_ha', system);
  return percent(value, 1);
}

export function figureText(f: Figure, system: System): string {
  return shown(f.key, f.value, system);
}

/** Between which values a figure lies; empty where that is not known. */
export function between(f: Figure, system: System): string {
  if (f.low == null || f.high == null) return '';
  return `${shown(f.key, f.low, system)} to ${shown(f.key, f.high, system)}`;
}

/** The gaps in one line. */
export function gapsWords(gaps: AsFlown['gaps'], system: System): string {
  if (!gaps.length) return 'No gap that is wider than the error of a position.';
  const area = gaps.reduce((sum, g) => sum + g.area_m2, 0);
  return `${gaps.length === 1 ? 'One gap' : `${gaps.length} gaps`}, ${areaWords(area, system)} in all.`;
}
