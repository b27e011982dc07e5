/** What each noun of the fleet is made of: its fields, in the order people think of them. */
import type { Schemas } from '$shared/api/client';
import type { Quantity } from '$shared/format/units';
import { CHEMISTRIES } from '$shared/format/words';

export type Fleet = Schemas['FleetOut'];
export type Noun =
  | 'packs'
  | 'aircraft'
  | 'chargers'
  | 'supplies'
  | 'pack-models'
  | 'aircraft-models'
  | 'charger-models'
  | 'supply-models'
  | 'cameras';
export type Row = { id: string; version: number; archived: boolean; name: string } & Record<string, unknown>;

export interface Field {
  key: string;
  label: string;
  type: 'text' | 'number' | 'choice' | 'model' | 'check' | 'date' | 'modes' | 'lines';
  quantity?: Quantity;
  unit?: string;
  scale?: number;
  digits?: number;
  options?: { value: string; label: string }[];
  from?: keyof Fleet;
  optional?: boolean;
}

export interface NounWords {
  noun: Noun;
  list: keyof Fleet;
  title: string;
  one: string;
  right: 'packs:write' | 'fleet:write';
  empty: string;
  fields: Field[];
  /** Figures that stand in the form and not in the table. */
  aside: string[];
  start: Record<string, unknown>;
}

const name: Field = { key: 'name', label: 'Name or number', type: 'text' };
const notes: Field = { key: 'notes', label: 'Notes', type: 'text', optional: true };

export const NOUNS: NounWords[] = [
  {
    noun: 'packs',
    list: 'packs',
    title: 'Packs',
    one: 'pack',
    right: 'packs:write',
    empty: 'No packs yet. First add a model of pack, then number your packs.',
    aside: ['bought_on', 'price', 'warranty_until', 'cycles'],
    fields: [
      name,
      { key: 'model_id', label: 'Model', type: 'model', from: 'pack_models' },
      { key: 'mates', label: 'Flies with', type: 'text', optional: true },
      { key: 'charge_frac', label: 'Charge', type: 'number', unit: '%', scale: 100, digits: 0 },
      { key: 'health_frac', label: 'Capacity, of rated', type: 'number', unit: '%', scale: 100, digits: 0 },
      { key: 'cycles', label: 'Cycles before its first record', type: 'number', digits: 0 },
      { key: 'serial', label: 'Serial number', type: 'text', optional: true },
      { key: 'bought_on', label: 'Bought on', type: 'date', optional: true },
      { key: 'price', label: 'Price', type: 'number', digits: 2, optional: true },
      { key: 'warranty_until', label: 'Warranty until', type: 'date', optional: true },
      notes,
    ],
    start: {
      name: '',
      model_id: '',
      mates: '',
      charge_frac: 0.6,
      health_frac: 1,
      cycles: 0,
      serial: '',
      bought_on: null,
      price: null,
      warranty_until: null,
      notes: '',
    },
  },
  {
    noun: 'aircraft',
    list: 'aircraft',
    title: 'Aircraft',
    one: 'aircraft',
    right: 'fleet:write',
    empty: 'No aircraft yet. First add a model of aircraft.',
    aside: [],
    fields: [
      name,
      { key: 'model_id', label: 'Model', type: 'model', from: 'aircraft_models' },
      { key: 'power_w', label: 'Mean power, measured', type: 'number', unit: 'W', digits: 0, optional: true },
      notes,
    ],
    start: { name: '', model_id: '', power_w: null, notes: '' },
  },
  {
    noun: 'chargers',
    list: 'chargers',
    title: 'Chargers',
    one: 'charger',
    right: 'fleet:write',
    empty: 'No chargers yet. First add a model of charger.',
    aside: [],
    fields: [name, { key: 'model_id', label: 'Model', type: 'model', from: 'charger_models' }, notes],
    start: { name: '', model_id: '', notes: '' },
  },
  {
    noun: 'supplies',
    list: 'supplies',
    title: 'Supplies',
    one: 'supply',
    right: 'fleet:write',
    empty: 'No generators or other supplies yet.',
    aside: [],
    fields: [name, { key: 'model_id', label: 'Model', type: 'model', from: 'supply_models' }, notes],
    start: { name: '', model_id: '', notes: '' },
  },
  {
    noun: 'pack-models',
    list: 'pack_models',
    title: 'Models of pack',
    one: 'model of pack',
    right: 'fleet:write',
    empty: 'No models of pack yet.',
    aside: ['drains_after_days', 'parallel', 'mass_kg', 'price', 'test_good_v', 'test_bad_v', 'fits', 'cv_from_frac'],
    fields: [
      name,
      {
        key: 'chemistry',
        label: 'Chemistry',
        type: 'choice',
        options: CHEMISTRIES,
      },
      { key: 'cells', label: 'Cells in series', type: 'number', digits: 0 },
      { key: 'capacity_ah', label: 'Capacity', type: 'number', unit: 'Ah', digits: 2 },
      { key: 'nominal_cell_v', label: 'Nominal volts a cell', type: 'number', unit: 'V', digits: 2 },
      {
        key: 'cv_from_frac',
        label: 'Constant voltage from, at 1 C',
        type: 'number',
        unit: '%',
        scale: 100,
        digits: 0,
      },
      { key: 'most_rate_c', label: 'Fastest charge', type: 'number', unit: 'C', digits: 1 },
      { key: 'balance_s', label: 'Evening out of cells, after full', type: 'number', unit: 'min', scale: 1 / 60, digits: 0 },
      { key: 'storage_frac', label: 'Storage charge', type: 'number', unit: '%', scale: 100, digits: 0 },
      { key: 'drains_itself', label: 'Drains itself to storage charge', type: 'check' },
      { key: 'drains_after_days', label: 'and begins after', type: 'number', unit: 'days', digits: 0, optional: true },
      { key: 'parallel', label: 'Cells in parallel', type: 'number', digits: 0 },
      { key: 'mass_kg', label: 'Mass', type: 'number', unit: 'kg', digits: 2, optional: true },
      { key: 'label_c', label: 'Printed rate', type: 'number', unit: 'C', digits: 0, optional: true },
      { key: 'price', label: 'Price', type: 'number', digits: 2, optional: true },
      { key: 'test_good_v', label: 'Own load test: good from', type: 'number', unit: 'V', digits: 2, optional: true },
      { key: 'test_bad_v', label: 'and bad below', type: 'number', unit: 'V', digits: 2, optional: true },
      { key: 'fits', label: 'Connector or airframe it fits', type: 'text', optional: true },
      notes,
    ],
    start: {
      name: '',
      chemistry: 'lipo',
      cells: 6,
      capacity_ah: 16,
      nominal_cell_v: 3.7,
      cv_from_frac: 0.85,
      most_rate_c: 2,
      balance_s: 0,
      storage_frac: 0.6,
      drains_itself: false,
      drains_after_days: null,
      parallel: 1,
      mass_kg: null,
      label_c: null,
      price: null,
      test_good_v: null,
      test_bad_v: null,
      fits: '',
      notes: '',
    },
  },
  {
    noun: 'aircraft-models',
    list: 'aircraft_models',
    title: 'Models of aircraft',
    one: 'model of aircraft',
    right: 'fleet:write',
    empty: 'No models of aircraft yet. First add the model of pack it flies.',
    aside: [
      'mass_kg',
      'rotors',
      'rotor_m',
      'hover_w',
      'climb_m_s',
      'least_air_c',
      'most_air_c',
      'least_pack_c',
      'most_load_kg',
      'rain_rated',
      'shows',
      'live_at_once',
      'power_up',
      'turn_s',
    ],
    fields: [
      name,
      {
        key: 'work',
        label: 'Work',
        type: 'choice',
        options: [
          { value: 'any', label: 'any' },
          { value: 'mapping', label: 'mapping' },
          { value: 'spraying', label: 'spraying' },
          { value: 'search', label: 'search' },
        ],
      },
      { key: 'pack_model_id', label: 'Flies', type: 'model', from: 'pack_models' },
      { key: 'packs_count', label: 'Packs together', type: 'number', digits: 0 },
      { key: 'power_w', label: 'Mean power with its load', type: 'number', unit: 'W', digits: 0 },
      { key: 'cruise_m_s', label: 'Cruise airspeed', type: 'number', quantity: 'm_s' },
      { key: 'fixed_s', label: 'Take-off and landing together', type: 'number', unit: 's', digits: 0 },
      { key: 'turn_s', label: 'One turn', type: 'number', unit: 's' },
      { key: 'camera_id', label: 'Camera', type: 'model', from: 'cameras', optional: true },
      { key: 'tank_l', label: 'Tank', type: 'number', quantity: 'l', optional: true },
      { key: 'swath_m', label: 'Swath', type: 'number', quantity: 'm', optional: true },
      { key: 'mass_kg', label: 'Mass at take-off, tank empty', type: 'number', unit: 'kg', digits: 2, optional: true },
      { key: 'rotors', label: 'Rotors', type: 'number', digits: 0, optional: true },
      { key: 'rotor_m', label: 'Rotor diameter', type: 'number', unit: 'm', digits: 3, optional: true },
      { key: 'hover_w', label: 'Power in hover', type: 'number', unit: 'W', digits: 0, optional: true },
      { key: 'climb_m_s', label: 'Climb', type: 'number', quantity: 'm_s' },
      { key: 'most_wind_m_s', label: 'Wind limit, data sheet', type: 'number', quantity: 'm_s', optional: true },
      { key: 'least_air_c', label: 'Air from', type: 'number', quantity: 'c', optional: true },
      { key: 'most_air_c', label: 'Air to', type: 'number', quantity: 'c', optional: true },
      { key: 'least_pack_c', label: 'Refuses packs below', type: 'number', quantity: 'c', optional: true },
      { key: 'most_load_kg', label: 'Load at most', type: 'number', unit: 'kg', digits: 2, optional: true },
      { key: 'rain_rated', label: 'Rated for rain and snow', type: 'check' },
      {
        key: 'shows',
        label: 'Shows of the cells',
        type: 'choice',
        options: [
          { value: 'cells', label: 'each cell' },
          { value: 'total', label: 'a total only' },
          { value: 'none', label: 'no volts' },
        ],
      },
      { key: 'live_at_once', label: 'Live the moment it is plugged in', type: 'check' },
      { key: 'power_up', label: 'Power-up, one step a line', type: 'lines', optional: true },
      notes,
    ],
    start: {
      name: '',
      work: 'any',
      pack_model_id: '',
      packs_count: 1,
      power_w: 600,
      cruise_m_s: 10,
      fixed_s: 75,
      turn_s: 4,
      camera_id: null,
      tank_l: null,
      swath_m: null,
      mass_kg: null,
      rotors: null,
      rotor_m: null,
      hover_w: null,
      climb_m_s: 3,
      most_wind_m_s: null,
      least_air_c: null,
      most_air_c: null,
      least_pack_c: null,
      most_load_kg: null,
      rain_rated: false,
      shows: 'cells',
      live_at_once: false,
      power_up: [],
      notes: '',
    },
  },
  {
    noun: 'charger-models',
    list: 'charger_models',
    title: 'Models of charger',
    one: 'model of charger',
    right: 'fleet:write',
    empty: 'No models of charger yet.',
    aside: ['power_factor', 'most_v'],
    fields: [
      name,
      { key: 'ports', label: 'Ports', type: 'number', digits: 0 },
      { key: 'modes', label: 'Rates of one port', type: 'modes' },
      { key: 'least_cells', label: 'Cells in series, min', type: 'number', digits: 0, optional: true },
      { key: 'most_cells', label: 'Cells in series, max', type: 'number', digits: 0, optional: true },
      { key: 'most_v', label: 'Pack voltage, max', type: 'number', unit: 'V', digits: 1, optional: true },
      { key: 'cap_w', label: 'All ports draw at most', type: 'number', unit: 'W', digits: 0, optional: true },
      { key: 'power_factor', label: 'Power factor', type: 'number', digits: 2 },
      notes,
    ],
    start: {
      name: '',
      ports: 2,
      modes: [{ name: 'fast', pack_w: 500, wall_w: 560 }],
      least_cells: null,
      most_cells: null,
      most_v: null,
      cap_w: null,
      power_factor: 0.95,
      notes: '',
    },
  },
  {
    noun: 'supply-models',
    list: 'supply_models',
    title: 'Models of supply',
    one: 'model of supply',
    right: 'fleet:write',
    empty: 'No models of supply yet.',
    aside: [],
    fields: [
      name,
      {
        key: 'kind',
        label: 'Kind',
        type: 'choice',
        options: [
          { value: 'generator', label: 'generator' },
          { value: 'mains', label: 'mains' },
          { value: 'vehicle', label: 'vehicle' },
        ],
      },
      { key: 'rated_w', label: 'Continuous rating', type: 'number', unit: 'W', digits: 0 },
      { key: 'headroom_frac', label: 'Headroom kept', type: 'number', unit: '%', scale: 100, digits: 0 },
      { key: 'outlets_count', label: 'Outlets, 0 if not known', type: 'number', digits: 0 },
      { key: 'outlet_a', label: 'Breaker of each outlet', type: 'number', unit: 'A', digits: 0 },
      { key: 'outlet_v', label: 'Volts of the outlets', type: 'number', unit: 'V', digits: 0 },
      {
        key: 'fuel',
        label: 'Fuel',
        type: 'choice',
        options: [
          { value: '', label: 'none' },
          { value: 'petrol', label: 'petrol' },
          { value: 'diesel', label: 'diesel' },
        ],
      },
      { key: 'tank_l', label: 'Tank', type: 'number', unit: 'L', digits: 1, optional: true },
      notes,
    ],
    start: {
      name: '',
      kind: 'generator',
      rated_w: 2000,
      headroom_frac: 0.2,
      outlets_count: 1,
      outlet_a: 16,
      outlet_v: 230,
      fuel: 'petrol',
      tank_l: null,
      notes: '',
    },
  },
  {
    noun: 'cameras',
    list: 'cameras',
    title: 'Cameras',
    one: 'camera',
    right: 'fleet:write',
    empty: 'No cameras yet.',
    aside: [],
    fields: [
      name,
      { key: 'sensor_w_mm', label: 'Sensor, long side', type: 'number', unit: 'mm', digits: 2 },
      { key: 'sensor_h_mm', label: 'Sensor, short side', type: 'number', unit: 'mm', digits: 2 },
      { key: 'focal_mm', label: 'Focal length, true', type: 'number', unit: 'mm', digits: 2 },
      { key: 'image_w_px', label: 'Pixels, long side', type: 'number', digits: 0 },
      { key: 'image_h_px', label: 'Pixels, short side', type: 'number', digits: 0 },
      notes,
    ],
    start: {
      name: '',
      sensor_w_mm: 13.2,
      sensor_h_mm: 8.8,
      focal_mm: 8.8,
      image_w_px: 5472,
      image_h_px: 3648,
      notes: '',
    },
  },
];
