import { fireEvent, render, screen, waitFor, within } from '@testing-library/svelte';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { session } from '$shared/session.svelte';
import { notices } from '$shared/ui/notices.svelte';
import { lastTo, Refusal, serve } from '../../test-server';
import ChargingScreen from './ChargingScreen.svelte';
import { shelf } from './state/shelf.svelte';
import ShelfScreen from './ShelfScreen.svelte';

vi.mock('$app/navigation', () => ({ goto: vi.fn() }));
vi.mock('$app/state', () => ({ page: { url: new URL('http://x/packs') } }));

const WORKING = { title: 'w', value: 1, unit: '', note: '', steps: [] };
const line = (name: string, more = {}) => ({
  id: `id-${name}`,
  version: 1,
  archived: false,
  name,
  model: 'K6',
  model_id: 'm',
  mates: '',
  level: 'in service',
  words: 'No issues.',
  may_override: true,
  charge_frac: 0.6,
  health_frac: 0.9,
  health_measured: true,
  cycles: 10,
  flights: 1,
  tasks: [],
  ...more,
});
const SET = {
  mates: 'P',
  model_id: 'm',
  packs: ['1', '3'],
  level: 'watch',
  words: 'drifting apart: capacity 8% apart',
  working: WORKING,
};
const SHELF = {
  packs: [
    line('1', { mates: 'P' }),
    line('2', { level: 'grounded', words: 'It is swollen.', charge_frac: 0.4, health_measured: false }),
    line('3', { mates: 'P', charge_frac: 1, cycles: 99 }),
  ],
  sets: [SET],
  charging: [],
  test_each_take_off: true,
};
const names = () =>
  screen
    .getAllByRole('link')
    .filter((a) => a.hasAttribute('data-pack'))
    .map((a) => a.textContent);

beforeEach(() => {
  session.me = { signed_in: true, units: 'metric', rights: ['packs:record', 'packs:write'] } as never;
  window.history.replaceState(null, '', 'http://localhost:3000/packs');
  vi.spyOn(window.history, 'replaceState').mockImplementation(() => {});
});
afterEach(() => {
  vi.restoreAllMocks();
  notices.list = [];
  shelf.shelf = null;
});

describe('the shelf', () => {
  it('shows a set as a set in order of number, and each pack by itself in any other', async () => {
    serve({ 'GET /api/packs': SHELF });
    render(ShelfScreen);
    await screen.findByTestId('shelf');
    expect(names()).toEqual(['1', '3', '2']);
    expect(screen.getByText('Set P')).toBeInTheDocument();
    expect(screen.getByText('drifting apart: capacity 8% apart')).toBeInTheDocument();
    await fireEvent.change(screen.getByLabelText('Sort by'), { target: { value: 'cycles' } });
    expect(names()).toEqual(['3', '1', '2']);
    expect(screen.queryByText('Set P')).toBeNull();
    expect(screen.getAllByText('set P')).toHaveLength(2);
  });

  it('filters by verdict and by words, says when nothing fits, and shows all again', async () => {
    serve({ 'GET /api/packs': SHELF });
    render(ShelfScreen);
    await screen.findByTestId('shelf');
    await fireEvent.click(screen.getByRole('button', { name: /1\s*grounded/ }));
    expect(names()).toEqual(['2']);
    await fireEvent.input(screen.getByLabelText('Search packs'), { target: { value: 'nothing like it' } });
    expect(await screen.findByText(/No pack fits/)).toBeInTheDocument();
    await fireEvent.click(screen.getByRole('button', { name: 'Show all 3' }));
    await vi.waitFor(() => expect(names()).toHaveLength(3));
    expect(screen.getByText(/capacity as entered, not yet measured/)).toBeInTheDocument();
  });

  it('prints labels of the chosen packs, of all shown if none is', async () => {
    serve({ 'GET /api/packs': SHELF });
    render(ShelfScreen);
    await screen.findByTestId('shelf');
    const link = () => screen.getByRole('link', { name: /Labels, sheet/ });
    expect(link()).toHaveTextContent('(3)');
    await fireEvent.click(screen.getByLabelText('Choose 3 for labels'));
    expect(link().getAttribute('href')).toBe('/api/packs/labels.pdf?size=sheet&ids=id-3');
  });

  it('says what to do with an empty shelf and when the server does not answer', async () => {
    serve({ 'GET /api/packs': { ...SHELF, packs: [], sets: [] } });
    const { unmount } = render(ShelfScreen);
    expect(await screen.findByText(/No packs yet/)).toBeInTheDocument();
    unmount();
    shelf.shelf = null;
    serve({ 'GET /api/packs': new Refusal(500, '', 'Something went wrong here.') });
    render(ShelfScreen);
    expect(await screen.findByText('Something went wrong here.')).toBeInTheDocument();
    expect(screen.getByRole('button', { name: 'Try again' })).toBeInTheDocument();
  });
});

describe('charging at the bench', () => {
  const STEPS = {
    current_a: 16,
    full_v: 25.2,
    on: [
      { do: 'Charger on', why: '', shown: '' },
      { do: 'Set the current', why: '', shown: '16.0 A' },
    ],
    off: [],
    cautions: ['Never leave a charge alone.', 'It landed 2 min ago: let it cool.'],
    working: WORKING,
  };
  const CHARGE = {
    id: 'c',
    pack_id: 'id-1',
    pack: '1',
    charger: 'Van',
    charger_id: 'v',
    port: 2,
    goal: 'storage',
    rate_c: 1,
    from_frac: 0.9,
    began_at: new Date().toISOString(),
    ended_at: null,
  };
  const FLEET = { chargers: [{ id: 'v', name: 'Van', model_id: 'k' }], charger_models: [{ id: 'k', ports: 2 }] };

  it('begins only after every step, and offers no grounded pack and no port in use', async () => {
    const seen = serve({
      'GET /api/packs': { ...SHELF, charging: [CHARGE] },
      'GET /api/fleet': FLEET,
      'POST /api/packs/*/bench': STEPS,
      'POST /api/packs/*/charges': CHARGE,
    });
    render(ChargingScreen);
    await waitFor(() => expect(within(screen.getByLabelText('Pack')).getAllByRole('option')).toHaveLength(2));
    const ports = within(screen.getByLabelText('Charger and port')).getAllByRole('option');
    expect(ports.map((o) => o.textContent)).toEqual(['any', 'Van, port 1']);
    await fireEvent.change(screen.getByLabelText('Pack'), { target: { value: 'id-3' } });
    expect(await screen.findByText('It landed 2 min ago: let it cool.')).toBeInTheDocument();
    expect(screen.getByRole('button', { name: '2 steps to go' })).toBeDisabled();
    for (const box of within(screen.getByTestId('steps')).getAllByRole('checkbox')) await fireEvent.click(box);
    await fireEvent.click(screen.getByRole('button', { name: 'It charges' }));
    await waitFor(() => expect(lastTo(seen, /charges$/)!.path).toBe('/api/packs/id-3/charges'));
  });

  it('ends with what was put back, and a refusal stands at its field', async () => {
    const seen = serve({
      'GET /api/packs': { ...SHELF, charging: [CHARGE] },
      'GET /api/fleet': FLEET,
      'POST /api/packs/charges/*/end': new Refusal(422, 'put_back_ah', '160000 mAh do not fit.'),
    });
    render(ChargingScreen);
    await fireEvent.click(await screen.findByRole('button', { name: 'It is done' }));
    const field = screen.getByRole('textbox', { name: /Put back/ });
    await fireEvent.input(field, { target: { value: '160000' } });
    await fireEvent.blur(field);
    await fireEvent.click(screen.getByRole('button', { name: 'Off and kept' }));
    expect(await screen.findByText('160000 mAh do not fit.')).toBeInTheDocument();
    expect(lastTo(seen, /end$/)!.body).toEqual({ to_frac: null, put_back_ah: 160, most_c: null });
    expect((field as HTMLInputElement).value).toBe('160000');
  });
});
