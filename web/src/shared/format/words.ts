/** What figures of a job plan are called, and how they are shown. Texts live here, rules do not. */
import { digits, hours, percent, show, type System } from './units';

interface Figure {
  label: string;
  text: (value: number, system: System) => string;
}

const FIGURES: Record<string, Figure> = {
  ground_sample_m: { label: 'GSD', text: (v, s) => show(v, 'cm', s) },
  spacing_m: { label: 'Line spacing', text: (v, s) => show(v, 'm', s, 1) },
  trigger_m: { label: 'Photo interval', text: (v, s) => show(v, 'm', s, 1) },
  interval_s: { label: 'in time', text: (v) => `${v.toFixed(1)} s` },
  blur_px: { label: 'Motion blur', text: (v) => `${v.toFixed(2)} px` },
  pictures_count: { label: 'Pictures', text: (v) => digits(v) },
  flow_l_min: { label: 'Flow', text: (v, s) => show(v, 'l_min', s) },
  pressure_bar: { label: 'Pressure', text: (v) => `${v.toFixed(1)} bar` },
  volume_l: { label: 'Mix for all', text: (v, s) => show(v, 'l', s) },
  loads_count: { label: 'fillings', text: (v) => digits(v) },
  tank_area_ha: { label: 'Area per tank', text: (v, s) => show(v, 'ha', s, 2) },
  work_rate_ha_h: { label: 'Work rate, no turns', text: (v, s) => show(v, 'ha_h', s) },
  detection_frac: { label: 'Probability of detection (POD)', text: (v) => percent(v) },
  track_m: { label: 'Track, no turns', text: (v, s) => show(v, 'km', s) },
  on_scene_s: { label: 'Time on scene', text: (v) => hours(v) },
  space_gb: { label: 'on the card', text: (v) => `${digits(v, v < 10 ? 1 : 0)} GB` },
  lines_count: { label: 'Lines', text: (v) => digits(v) },
  on_line_m: { label: 'length', text: (v, s) => show(v, 'km', s) },
  area_ha: { label: 'Area', text: (v, s) => show(v, 'ha', s) },
};

export function figureLabel(key: string): string {
  return FIGURES[key]?.label ?? key;
}

export function figureText(key: string, value: number, system: System): string {
  return FIGURES[key]?.text(value, system) ?? digits(value, 2);
}

export const KIND_WORDS = { mapping: 'mapping', spraying: 'spraying', search: 'search' } as const;

export const STEP_WORDS: Record<string, string> = {
  rated_wh: 'rated energy',
  health_frac: 'state of health',
  energy_today_wh: 'energy today',
  reserve_wh: 'reserve',
  usable_wh: 'usable',
  power_w: 'mean power',
  work_w: 'power on the lines',
  route_wh: 'energy of the legs',
  volume_l: 'litres',
  usable_s: 'flight time of the set',
  wind_m_s: 'wind',
  sortie_s: 'sortie',
  sortie_wh: 'energy of the sortie',
  landing_frac: 'left at landing',
  spare_s: 'to spare',
  fixed_s: 'take-off and landing',
  out_s: 'way out',
  route_s: 'route',
  home_s: 'way home',
  ground_sample_m: 'ground sample',
  footprint_m: 'footprint',
  step_m: 'step',
  height_m: 'height',
  packs_count: 'packs in the set',
  crew_s: 'longest sortie agreed',
  level_w: 'level power',
  climb_w: 'climb',
  profile_w: 'profile power',
  induced_w: 'induced power',
  tip_m_s: 'blade tip speed',
  induced_m_s: 'induced velocity',
  airspeed_m_s: 'airspeed',
  drag_m2: 'drag area',
  least_m2: 'least drag area',
  disc_m2: 'disc area',
  density_kg_m3: 'air density',
  ideal_w: 'ideal hover power',
  hover_w: 'hover power',
  cruise_w: 'cruise power',
  bare_w: 'power without drag',
  merit_frac: 'figure of merit',
  mean_flight_s: 'mean flight',
  highest_m: 'highest',
  clearance_m: 'clearance',
  ground_m2: 'ground',
  covered_m2: 'covered',
  covered_frac: 'share covered',
  edge_m: 'error of an edge',
  left_m2: 'not covered',
  gaps_m2: 'in gaps',
  slivers_m2: 'in slivers',
  once_frac: 'once or more',
  twice_frac: 'twice or more',
  dose_l_ha: 'dose',
  detection_frac: 'detection',
  enough_frac: 'enough',
  tolerance_frac: 'tolerance',
  planned_frac: 'as planned at the least',
  takeoff_s: 'take-off',
  flight_s: 'flight',
};

export function stepWord(name: string): string {
  return (
    STEP_WORDS[name] ??
    name.replace(/_(m|s|wh|w|ah|v|a|ohm|kg|k|day|frac|m_s|l|ha|l_ha|l_min|ha_h|mm|px|deg|count|c)$/, '').replaceAll('_', ' ')
  );
}

export const STATE_WORDS: Record<string, string> = {
  flying: 'flying',
  cooling: 'cooling',
  waiting: 'waiting',
  charging: 'charging',
  resting: 'resting',
  ready: 'ready',
  grounded: 'grounded',
};

export function calling(
  call: { kind: string; set: string; member: string; flight: string; port: number },
  aircraft: string,
): string {
  switch (call.kind) {
    case 'on_port':
      return `${call.member} on port ${call.port}`;
    case 'off_port':
      return `${call.member} off port ${call.port}`;
    case 'fit':
      return `${call.set} into ${aircraft}`;
    case 'launch':
      return `Launch ${call.flight}, ${aircraft}`;
    case 'turn_back':
      return `Turn back ${call.flight}, latest`;
    case 'refuel':
      return `Refuel ${call.set}: off, cool, fill`;
    default:
      return `${call.flight} lands, ${call.set} to rest`;
  }
}

/** The chemistries by the key of the server. */
export const CHEMISTRIES = [
  { value: 'lipo', label: 'LiPo' },
  { value: 'lihv', label: 'high-voltage LiPo' },
  { value: 'liion', label: 'lithium-ion' },
  { value: 'lfp', label: 'LFP' },
];
