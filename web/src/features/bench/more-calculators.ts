/** The calculators of ground, way, charging and rotation, as people ask for them. */
import { NOZZLE_SIZES } from '$shared/format/nozzles';
import { digits, hours, minutes, percent } from '$shared/format/units';
import { n, num, rowsOf, type Answer, type Ask, type Tool } from './tools';

const points = (key: string, label: string, start: string): Ask => ({
  key,
  label,
  type: 'table',
  columns: [
    { key: 'x', label: 'm east', scale: 1 },
    { key: 'y', label: 'm north', scale: 1 },
  ],
  start,
});
const places = (f: Ask, typed: Record<string, unknown>) => rowsOf(f, typed[f.key]).map((p) => [p.x, p.y]);
const OUTLINE = points('outline', 'Corners', '0 0\n420 20\n460 310\n40 330');
const ROUTE = points('route', 'Waypoints', '0 0\n900 0\n900 40\n0 40\n0 80\n900 80\n900 120\n0 120\n0 160\n900 160');
const SIZES = NOZZLE_SIZES.map(([value, colour]) => ({ value, label: `${value} ${colour}` }));
const spacingWords = (v: unknown) => (v == null ? 'none' : `${n(v).toFixed(1)} m`);
const list = (a: Answer, key: string) => a[key] as Record<string, number>[];

export const GROUND_TOOLS: Tool[] = [
  {
    name: 'mapping',
    title: 'Mapping',
    asks: 'A camera, its height and overlaps',
    fields: [
      num('camera.sensor_w_mm', 'Sensor width', 17.3, { unit: 'mm', digits: 2 }),
      num('camera.sensor_h_mm', 'Sensor height', 13, { unit: 'mm', digits: 2 }),
      num('camera.focal_mm', 'Focal length', 12, { unit: 'mm', digits: 2 }),
      num('camera.image_w_px', 'Image width', 5280, { unit: 'px', digits: 0 }),
      num('camera.image_h_px', 'Image height', 3956, { unit: 'px', digits: 0 }),
      num('height_m', 'Height above ground', 80, { unit: 'm', digits: 0 }),
      num('side_overlap_frac', 'Side overlap', 0.7, { unit: '%', scale: 100, digits: 0 }),
      num('forward_overlap_frac', 'Forward overlap', 0.8, { unit: '%', scale: 100, digits: 0 }),
      num('speed_m_s', 'Speed over ground', 8, { unit: 'm/s' }),
      num('exposure_s', 'Exposure', 0.001, { unit: 'ms', scale: 1000, digits: 2 }),
    ],
    fill: 'jobs',
    head: (a) => `${(100 * n(a.ground_sample_m)).toFixed(2)} cm GSD, ${n(a.spacing_m).toFixed(1)} m between lines`,
    figures: (a) => [
      ['footprint', `${n(a.footprint_w_m).toFixed(0)} × ${n(a.footprint_h_m).toFixed(0)} m`],
      ['photo interval', `${n(a.trigger_m).toFixed(1)} m, ${n(a.interval_s).toFixed(1)} s`],
      ['blur', `${n(a.blur_px).toFixed(2)} px`],
    ],
  },
  {
    name: 'spraying',
    title: 'Spraying',
    asks: 'A rate, a swath and a speed',
    fields: [
      num('rate_l_ha', 'Application rate', 18, { unit: 'L/ha' }),
      num('swath_m', 'Swath', 6, { unit: 'm' }),
      num('tank_l', 'Tank', 16, { unit: 'L' }),
      num('speed_m_s', 'Speed over ground', 5, { unit: 'm/s' }),
      num('area_ha', 'Area', 8, { unit: 'ha', digits: 2 }),
    ],
    fill: 'jobs',
    head: (a) => `${n(a.flow_l_min).toFixed(2)} L/min, ${n(a.volume_l).toFixed(0)} L in ${n(a.loads)} loads`,
    figures: (a) => [
      ['one tank covers', `${n(a.tank_area_ha).toFixed(2)} ha, ${n(a.tank_line_m).toFixed(0)} m of line`],
      ['work rate on the lines', `${n(a.work_rate_ha_h).toFixed(1)} ha/h`],
    ],
    caution: 'The label of the product decides on rate, drops and distances.',
  },
  {
    name: 'nozzles',
    title: 'Nozzles',
    asks: 'A size and its pressures, three of rate, speed, swath and flow',
    fields: [
      { key: 'nozzle_size', label: 'Size', type: 'choice', options: SIZES, start: '02' },
      num('nozzles_count', 'Nozzles', 4, { digits: 0 }),
      num('least_bar', 'Pressure from', 1.5, { unit: 'bar' }),
      num('most_bar', 'Pressure to', 5, { unit: 'bar' }),
      num('rate_l_ha', 'Application rate', 20, { unit: 'L/ha', optional: true }),
      num('speed_m_s', 'Speed over ground', 5, { unit: 'm/s', optional: true }),
      num('swath_m', 'Swath', 5, { unit: 'm', optional: true }),
      num('flow_l_min', 'Flow', null, { unit: 'L/min', digits: 2 }),
    ],
    fill: 'jobs',
    head: (a) => `${n(a.pressure_bar).toFixed(1)} bar, ${n(a.flow_l_min).toFixed(2)} L/min`,
    figures: (a) => [
      ['rate', `${n(a.rate_l_ha).toFixed(1)} L/ha`],
      ['speed over ground', `${n(a.speed_m_s).toFixed(1)} m/s`],
      ['swath', `${n(a.swath_m).toFixed(1)} m`],
      ['they give', `${n(a.least_flow_l_min).toFixed(2)} to ${n(a.most_flow_l_min).toFixed(2)} L/min`],
    ],
    caution: 'The label of the product decides on rate, drops and distances; the maker says which droplets a nozzle gives.',
  },
  {
    name: 'catches',
    title: 'Calibration',
    asks: 'What was caught from each nozzle in a time',
    fields: [
      {
        key: 'caught_ml',
        label: 'Caught from each nozzle',
        type: 'table',
        columns: [{ key: 'ml', label: 'mL', scale: 1 }],
        start: '400\n410\n470\n395',
      },
      num('caught_s', 'Time of the catch', 30, { unit: 's', digits: 0 }),
      { key: 'nozzle_size', label: 'Size', type: 'choice', options: [{ value: '', label: 'not known' }, ...SIZES], start: '02' },
      num('pressure_bar', 'Pressure', 3, { unit: 'bar', optional: true }),
    ],
    body: (typed, tool) => ({ ...typed, caught_ml: rowsOf(tool.fields[0]!, typed.caught_ml).map((r) => r.ml) }),
    head: (a) => `${n(a.total_l_min).toFixed(2)} L/min in all`,
    figures: (a) => [
      ['each should give', `${n(a.wanted_l_min).toFixed(2)} L/min`],
      ['most to least', percent(n(a.spread_frac))],
      ['each, L/min', (a.each_l_min as number[]).map((v) => v.toFixed(2)).join(', ')],
    ],
  },
  {
    name: 'falling',
    title: 'Drift of a droplet',
    asks: 'A droplet, the height it starts from, the wind',
    fields: [
      num('droplet_um', 'Droplet', 150, { unit: 'µm', digits: 0 }),
      num('height_m', 'Height above the crop', 3, { unit: 'm' }),
      num('wind_m_s', 'Wind', 3, { unit: 'm/s' }),
      num('air_c', 'Temperature', 20, { unit: '°C', digits: 0 }),
    ],
    head: (a) => `${n(a.carried_m).toFixed(0)} m`,
    figures: (a) => [
      ['falls at', `${n(a.settling_m_s).toFixed(2)} m/s`],
      ['falls for', `${n(a.fall_s).toFixed(1)} s`],
      ['droplet class', String(a.droplet_class)],
    ],
    caution:
      'A droplet of water in a steady wind. Downwash brings it down sooner, drying makes it smaller and carries it farther. No permission follows from it: label and law decide.',
  },
  {
    name: 'swath-test',
    title: 'Swath test',
    asks: 'Catches across one pass, and how even passes are to be',
    fields: [
      {
        key: 'catches',
        label: 'Catches across the line',
        type: 'table',
        columns: [
          { key: 'at_m', label: 'm, right +', scale: 1 },
          { key: 'caught', label: 'caught', scale: 1 },
        ],
        start: '-4 0\n-3 2\n-2 6\n-1 9\n0 10\n1 9\n2 7\n3 3\n4 0',
      },
      num('wanted_frac', 'Variation at most', 0.15, { unit: '%', scale: 100, digits: 0 }),
      num('spacing_m', 'Look at spacing', null, { unit: 'm' }),
    ],
    head: (a) => `${spacingWords(a.back_and_forth_m)} back and forth, ${spacingWords(a.racetrack_m)} racetrack`,
    figures: (a) => [
      [`at ${n(a.spacing_m).toFixed(1)} m, back and forth`, percent(n(a.back_and_forth_frac), 1)],
      [`at ${n(a.spacing_m).toFixed(1)} m, racetrack`, percent(n(a.racetrack_frac), 1)],
    ],
    caution: 'Test with the wind along the line, at the height and speed that is flown.',
  },
  {
    name: 'search',
    title: 'Search',
    asks: 'A sweep width, a coverage and an area',
    fields: [
      num('sweep_width_m', 'Sweep width', 60, { unit: 'm', digits: 0 }),
      num('coverage', 'Coverage', 1, { digits: 2 }),
      {
        key: 'law',
        label: 'Detection model',
        type: 'choice',
        options: [
          { value: 'random', label: 'random search' },
          { value: 'inverse_cube', label: 'inverse cube' },
          { value: 'definite', label: 'definite range' },
        ],
        start: 'random',
      },
      num('speed_m_s', 'Speed over ground', 8, { unit: 'm/s' }),
      num('area_m2', 'Area', 400_000, { unit: 'ha', scale: 1 / 10_000, digits: 1 }),
    ],
    fill: 'jobs',
    head: (a) => `POD ${percent(n(a.detection_frac))}, ${n(a.spacing_m).toFixed(0)} m between tracks`,
    figures: (a) => [
      ['track', `${(n(a.track_m) / 1000).toFixed(1)} km`],
      ['time on scene', hours(n(a.on_scene_s))],
    ],
    caution: 'A probability for what is there to be seen once; it is no proof that nobody is there.',
  },
  {
    name: 'coverage',
    title: 'Coverage',
    asks: 'An outline in metres, and the lines over it',
    fields: [
      OUTLINE,
      num('spacing', 'Between lines', 18, { unit: 'm' }),
      num('speed', 'Speed over ground', 8, { unit: 'm/s' }),
      num('turn', 'A turn takes', 4, { unit: 's' }),
    ],
    body: (typed) => ({
      instance: {
        polygon: { exterior: places(OUTLINE, typed) },
        line_spacing_m: typed.spacing,
        speed_mps: typed.speed,
        turn_s: typed.turn,
      },
      ends: 'cover',
    }),
    head: (a) => `Lines at ${n(a.bearing_deg).toFixed(0)}°, ${hours(n(a.time_s))}`,
    figures: (a) => [
      ['on the lines', `${(n(a.on_line_m) / 1000).toFixed(2)} km`],
      ['lines', String((a.lines as unknown[]).length)],
      ['not covered', percent(n(a.uncovered_frac), 2)],
    ],
    caution: 'Without a way home and without wind: a job plans with both.',
  },
  {
    name: 'sorties',
    title: 'Sorties',
    asks: 'A route in metres, cut for one pack',
    fields: [
      ROUTE,
      num('home_x', 'Home, m east', -60, { unit: 'm', digits: 0 }),
      num('home_y', 'Home, m north', 40, { unit: 'm', digits: 0 }),
      num('airspeed', 'Air speed', 9, { unit: 'm/s' }),
      num('usable', 'A pack gives', 840, { unit: 'min', scale: 1 / 60 }),
      num('fixed', 'Take-off and landing take', 75, { unit: 's', digits: 0 }),
      num('turn', 'A turn takes', 4, { unit: 's' }),
    ],
    body: (typed) => ({
      instance: {
        route: places(ROUTE, typed),
        home: [typed.home_x, typed.home_y],
        airspeed_mps: typed.airspeed,
        usable_s: typed.usable,
        takeoff_landing_s: typed.fixed,
        turn_s: typed.turn,
      },
    }),
    head: (a) => `${list(a, 'sorties').length} sorties, ${hours(n(a.total_s))} in the air`,
    figures: (a) =>
      list(a, 'sorties').map((s, k) => [
        `sortie ${k + 1}`,
        `${s.from_m!.toFixed(0)} to ${s.to_m!.toFixed(0)} m of the route, ${minutes(s.time_s!)}`,
      ]),
    caution: 'In calm air: a job cuts with its wind, and for each pack.',
  },
];

export const POWER_TOOLS: Tool[] = [
  {
    name: 'way',
    title: 'A way in wind',
    asks: 'A straight way, an air speed and a wind',
    fields: [
      num('distance_m', 'Distance', 1200, { unit: 'm', digits: 0 }),
      num('track_deg', 'Track', 240, { unit: '°', digits: 0 }),
      num('airspeed_m_s', 'Air speed', 12, { unit: 'm/s' }),
      num('wind_speed_m_s', 'Wind', 6, { unit: 'm/s' }),
      num('wind_from_deg', 'Wind from', 250, { unit: '°', digits: 0 }),
    ],
    head: (a) => `${minutes(n(a.time_s))} at ${n(a.ground_speed_m_s).toFixed(1)} m/s over ground`,
    figures: (a) => [['heading', `${n(a.heading_deg).toFixed(0)}°`]],
  },
  {
    name: 'resistance-from-load',
    title: 'Resistance from a load',
    asks: 'Volts and current at a few loads',
    fields: [
      {
        key: 'points',
        label: 'Points',
        type: 'table',
        columns: [
          { key: 'volts', label: 'V', scale: 1 },
          { key: 'amperes', label: 'A', scale: 1 },
        ],
        start: '24.9 2\n24.4 18\n24.0 31\n23.5 46',
      },
    ],
    body: (typed, tool) => {
      const rows = rowsOf(tool.fields[0]!, typed.points);
      return { volts: rows.map((r) => r.volts), amperes: rows.map((r) => r.amperes) };
    },
    head: (a) => `${(1000 * n(a.resistance_ohm)).toFixed(1)} mΩ`,
    figures: (a) => [
      ['at no load', `${n(a.rest_v).toFixed(2)} V`],
      ['fit', percent(n(a.fit_frac), 1)],
    ],
  },
  {
    name: 'charge',
    title: 'Charge time',
    asks: 'A pack, how full it is, and the power of a port',
    fields: [
      num('energy_wh', 'Energy of the pack', 266, { unit: 'Wh', digits: 0 }),
      num('from_frac', 'Charge now', 0.35, { unit: '%', scale: 100, digits: 0 }),
      num('power_w', 'Into the pack', 400, { unit: 'W', digits: 0 }),
      num('cv_from_frac', 'Constant voltage from', 0.85, { unit: '%', scale: 100, digits: 0 }),
      num('most_rate_c', 'Max rate', 2, { unit: 'C' }),
    ],
    fill: 'packs',
    head: (a) => minutes(n(a.charge_s)),
    figures: () => [],
    caution: 'Stay with what charges, on what does not burn. The maker’s manual takes precedence.',
  },
  {
    name: 'steady',
    title: 'Steady rotation',
    asks: 'The cycle of one pack, and what there is',
    fields: [
      num('slot_s', 'Flight and swap', 1500, { unit: 'min', scale: 1 / 60 }),
      num('rest_after_flight_s', 'Rest after a flight', 600, { unit: 'min', scale: 1 / 60 }),
      num('charge_s', 'Charge', 3000, { unit: 'min', scale: 1 / 60 }),
      num('rest_after_charge_s', 'Rest after a charge', 300, { unit: 'min', scale: 1 / 60 }),
      num('packs', 'Packs', 4, { digits: 0 }),
      num('ports', 'Ports', 2, { digits: 0 }),
    ],
    head: (a) => `${n(a.packs_needed)} packs and ${n(a.ports_needed)} ports: nobody waits`,
    figures: (a) => [
      ['with what there is a take-off every', minutes(n(a.interval_s))],
      ['mean wait', minutes(n(a.mean_wait_s))],
    ],
  },
  {
    name: 'rotation',
    title: 'Rotation',
    asks: 'Equal sorties on equal packs, charged in between',
    fields: [
      num('flights', 'Sorties', 8, { digits: 0 }),
      num('flight', 'A sortie takes', 1200, { unit: 'min', scale: 1 / 60 }),
      num('energy', 'A sortie takes of its pack', 60, { unit: '%', digits: 0 }),
      num('sets', 'Packs', 4, { digits: 0 }),
      num('capacity', 'Energy of a pack', 266, { unit: 'Wh', digits: 0 }),
      num('soc', 'Packs come with', 60, { unit: '%', digits: 0 }),
      num('ports', 'Ports', 2, { digits: 0 }),
      num('into', 'Into a pack', 400, { unit: 'W', digits: 0 }),
      num('swap', 'Swap', null, { unit: 's', digits: 0, begins: 'day.swap_s', optional: false }),
      num('flown', 'Rest after a flight', null, {
        unit: 'min',
        scale: 1 / 60,
        begins: 'day.rest_after_flight_s',
        optional: false,
      }),
      num('charged', 'Rest after a charge', null, {
        unit: 'min',
        scale: 1 / 60,
        begins: 'day.rest_after_charge_s',
        optional: false,
      }),
    ],
    body: (t) => ({
      instance: {
        swap_s: t.swap,
        rest_after_flight_s: t.flown,
        rest_after_charge_s: t.charged,
        aircraft: [{ id: 'A', type: 'pack' }],
        sorties: Array.from({ length: Number(t.flights) }, (_, k) => ({
          id: `S${k + 1}`,
          aircraft: 'A',
          flight_s: t.flight,
          energy_pct: t.energy,
        })),
        sets: Array.from({ length: Number(t.sets) }, (_, k) => ({
          id: `${k + 1}`,
          type: 'pack',
          packs: 1,
          capacity_wh: t.capacity,
          soc_pct: t.soc,
        })),
        chargers: [{ id: 'C', ports: t.ports, modes: [{ name: 'charge', pack_w: t.into, wall_w: t.into }] }],
      },
    }),
    head: (a) => `Last landing after ${hours(n(a.makespan_s))}`,
    figures: (a) =>
      list(a, 'flights')
        .slice(0, 12)
        .map((f) => [String(f.sortie), `up after ${digits(Number(f.takeoff_s) / 60)} min on pack ${String(f.set)}`]),
    caution: 'A day plans with your own packs, weather and people.',
  },
];
