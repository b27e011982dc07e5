import { fireEvent, render, screen, waitFor, within } from '@testing-library/svelte';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { session } from '$shared/session.svelte';
import { lastTo, Refusal, serve } from '../../test-server';
import CompareScreen from './CompareScreen.svelte';

const thing = (id: string, name = id, flights = 4) => ({ id, name, flights });
const KNOWN = {
  packs: [thing('p1', 'D-01'), thing('p2', 'D-02')],
  pack_models: [],
  aircraft: [],
  aircraft_models: [],
  jobs: [],
  firmware: [thing('2.0'), thing('2.1'), thing('2.2')],
  people: [],
  seasons: [],
  flights: 12,
};
const line = { x: [0, 1], y: [4.1, 3.6], warned: [0.5, 3.8], critical: null };
const group = (id: string) => ({
  curves: [{ id, ...line }],
  band: null,
  without: 0,
  flights: [{ id, began_at: null, length_s: 600, words: 'Wren' }],
});
const differs = (difference: number, noise: boolean) => ({ difference, low: difference - 10, high: difference + 10, noise });
const compared = (count: number) => ({
  groups: ['f1', 'f2', 'f3'].slice(0, count).map((id, k) => ({ ...group(id), without: k })),
  table: [
    {
      figure: 'mean_w',
      unit: 'W',
      middles: [600, 650, 610].slice(0, count),
      counts: [4, 4, 4].slice(0, count),
      against: [differs(50, false), differs(10, true)].slice(0, count - 1),
      adjusted: [{ ...differs(20, false), without: ['air_c'] }, null].slice(0, count - 1),
    },
  ],
  imbalances: [{ condition: 'air_c', group: 1, mine: 4, first: 18, taken_out: true }],
  reserve_frac: 0.3,
  quantity: 'cell_v',
  axis: 'percent',
});
const asked = (body: unknown) => body as { groups: unknown[]; axis: string; at_frac?: number };

beforeEach(() => {
  vi.unstubAllGlobals();
  session.me = { signed_in: true, units: 'metric', rights: ['logs:read'] } as never;
});

describe('groups of flights', () => {
  it('are made by one choice, held against the first, and what else differs is said', async () => {
    const seen = serve({
      'GET /api/logbook/groupings': KNOWN,
      'POST /api/logbook/compare': (a: { body: unknown }) => compared(asked(a.body).groups.length),
    });
    render(CompareScreen);
    await screen.findByText(/They differ in air temperature too/);
    expect(asked(lastTo(seen, /compare/)!.body).groups).toEqual([{ pack_id: 'p1' }, { pack_id: 'p2' }]);
    expect(screen.getAllByTestId('warned')).toHaveLength(2);
    await fireEvent.change(screen.getByLabelText('compare by'), { target: { value: 'firmware' } });
    await screen.findByText('C less A');
    expect(screen.getByText(/Flights that do not tell this curve: B 1 of 1, C 2 of 1\./)).toBeTruthy();
    expect(asked(lastTo(seen, /compare/)!.body).groups).toEqual([{ firmware: '2.0' }, { firmware: '2.1' }, { firmware: '2.2' }]);
    const row = screen.getByRole('row', { name: /mean power/ });
    expect(within(row).getByText('+50.0').tagName).toBe('B');
    expect(within(row).getByTestId('adjusted').textContent).toContain('+20.0');
    expect(within(row).getAllByText(', not significant')).toHaveLength(1);
    await fireEvent.click(screen.getByRole('button', { name: 'Remove group C' }));
    await waitFor(() => expect(asked(lastTo(seen, /compare/)!.body).groups).toHaveLength(2));
  });

  it('count from a percent that is said, and a refusal stands at its group', async () => {
    let refused = false;
    const seen = serve({
      'GET /api/logbook/groupings': KNOWN,
      'POST /api/logbook/compare': () =>
        refused ? new Refusal(422, 'groups.1.begins', 'Give a date between 1970 and 2200.') : compared(2),
    });
    render(CompareScreen);
    await screen.findByText('B less A');
    await fireEvent.click(screen.getByRole('button', { name: 'At a percent' }));
    await waitFor(() => expect(asked(lastTo(seen, /compare/)!.body)).toMatchObject({ axis: 'at_percent', at_frac: 0.3 }));
    refused = true;
    await fireEvent.click(screen.getByRole('button', { name: 'To landing' }));
    const alert = await screen.findByText('Give a date between 1970 and 2200.');
    expect(screen.getByRole('region', { name: 'Group B' }).contains(alert)).toBe(true);
  });
});
