/** Sizes of nozzles with the words for their colours, and classes of droplets from fine to coarse, as the core has them. */
export const NOZZLE_SIZES: readonly (readonly [size: string, colour: string])[] = [
  ['0075', 'pink'],
  ['01', 'orange'],
  ['015', 'green'],
  ['02', 'yellow'],
  ['025', 'lilac'],
  ['03', 'blue'],
  ['04', 'red'],
  ['05', 'brown'],
  ['06', 'grey'],
  ['08', 'white'],
  ['10', 'light blue'],
  ['15', 'light green'],
  ['20', 'black'],
];
export const DROPLET_CLASSES = [
  'extremely fine',
  'very fine',
  'fine',
  'medium',
  'coarse',
  'very coarse',
  'extremely coarse',
  'ultra coarse',
];
