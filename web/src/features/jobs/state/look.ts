/** How sorties are told apart: number, colour and pattern together, in turn. */
export interface Look {
  token: string;
  dash: number[];
  width: number;
}

const LOOKS: Look[] = [
  { token: '--tarn', dash: [], width: 1.6 },
  { token: '--copper', dash: [9, 5], width: 1.8 },
  { token: '--ink', dash: [], width: 2.8 },
  { token: '--heather', dash: [11, 4, 2, 4], width: 1.8 },
  { token: '--lichen', dash: [2, 4], width: 2.4 },
  { token: '--tarn', dash: [14, 4], width: 2.4 },
  { token: '--copper', dash: [2, 4], width: 2.4 },
];

export function lookOf(number: number): Look {
  return LOOKS[(number - 1) % LOOKS.length]!;
}
