import { fireEvent, render, screen } from '@testing-library/svelte';
import { describe, expect, it, vi } from 'vitest';
import FromFile from './components/FromFile.svelte';
import { preset, taken, type Choice, type Outline } from './state/outline';

const ring = (lon: number): [number, number][] => [
  [lon, 46],
  [lon + 0.01, 46],
  [lon + 0.01, 46.01],
];
const FOUND: Outline = {
  name: 'Glebe',
  area: ring(7),
  keep_outs: [],
  area_ha: 4.5,
  home: [1, 1],
  home_kept: true,
  others: [
    { name: 'Glebe', area: ring(7.1), keep_outs: [], area_ha: 3.5, meets: false },
    { name: '', area: ring(7.2), keep_outs: [], area_ha: 2.5, meets: false },
  ],
  points: [
    { name: 'office', at: [2, 40], home: false, away_m: 406_000 },
    { name: 'office', at: [7, 46], home: false, away_m: 12 },
  ],
  notes: ['The name was shortened.', 'The name was shortened.'],
} as unknown as Outline;

describe('what to take from a file', () => {
  it('offers neighbours and points, also of one name, and presets none of them', async () => {
    const onuse = vi.fn<(choice: Choice) => void>();
    render(FromFile, { file: 'glebe.kml', found: FOUND, onuse, oncancel: () => undefined });
    expect(screen.getAllByRole('radio', { name: 'Glebe' })).toHaveLength(2);
    expect(screen.getByText('area 3, without a name')).toBeVisible();
    expect(screen.getAllByText('The name was shortened.')).toHaveLength(2);
    expect(screen.getByRole('radio', { name: /none of these points/ })).toBeChecked();
    for (const box of screen.getAllByRole('checkbox')) expect(box).not.toBeChecked();
    await fireEvent.click(screen.getByRole('button', { name: 'Use' }));
    expect(onuse).toHaveBeenCalledWith(preset());
  });

  it('takes what was chosen and nothing else', () => {
    const choice: Choice = { area: 1, keepOut: [2], home: 1 };
    const made = taken(FOUND, choice);
    expect(made.area).toEqual(ring(7.1));
    expect(made.keep_outs.map((k) => k.ring)).toEqual([ring(7.2)]);
    expect(made.home).toEqual([7, 46]);
    expect(taken(FOUND, preset())).toMatchObject({ area: ring(7), keep_outs: [], home: [1, 1] });
  });
});
