import { fireEvent, render, screen, waitFor } from '@testing-library/svelte';
import { beforeEach, describe, expect, it } from 'vitest';
import { session } from '$shared/session.svelte';
import { lastTo, Refusal, serve } from '../../test-server';
import BenchCurve from './BenchCurve.svelte';
import BenchScreen from './BenchScreen.svelte';
import { TOOLS } from './calculators';

const WORKING = { title: 'w', value: 1, unit: '', note: '', steps: [] };
const PICTURE = {
  x: 'min',
  y: 'V',
  lines: [
    {
      name: 'under load',
      points: [
        [0, 12.5],
        [9, 10.2],
      ],
      dashed: false,
    },
  ],
  marks: [
    { words: 'level 1', x: 8, y: 10.5, tone: 'watch' },
    { words: 'floor 10 V', x: null, y: 10, tone: 'bad' },
    { words: 'home', x: 7, y: null, tone: 'plain' },
  ],
} as never;
const ALARMS = {
  level_1: { loaded_v: 10.5, rest_v: 11.1, at_s: 480 },
  level_2: { loaded_v: 10.3, rest_v: 10.9, at_s: 520 },
  loss_v: 0.6,
  between_s: 40,
  warning: 'The gap is shorter than the way home.',
  picture: PICTURE,
  working: WORKING,
};

beforeEach(() => (session.me = { signed_in: true, units: 'metric', rights: [] } as never));

describe('the bench', () => {
  it('begins with the defaults of the product, and what was typed stands when they come late', async () => {
    let come: (v: unknown) => void = () => {};
    const late = new Promise((done) => (come = done));
    const seen = serve({
      'GET /api/policy/defaults': () => late,
      'POST /api/compute/flight-minutes': new Refusal(422, 'mass_kg', 'No.'),
    });
    render(BenchScreen, { name: 'flight-minutes' });
    const mass = screen.getByLabelText(/Mass at take-off/);
    await fireEvent.input(mass, { target: { value: '9' } });
    await fireEvent.change(mass, { target: { value: '9' } });
    await fireEvent.blur(mass);
    come([{ key: 'sortie.landing_frac', value: 0.25, unit: '', words: '', low: 0, high: 1, reason: '' }]);
    await waitFor(() => expect(screen.getByLabelText(/Land with/)).toHaveValue('25'));
    expect(Number((mass as HTMLInputElement).value)).toBe(9);
    await waitFor(() => expect(lastTo(seen, /flight-minutes/)?.body).toMatchObject({ mass_kg: 9, landing_frac: 0.25 }));
  });

  it('asks the server for every answer and says both levels with their caution', async () => {
    const seen = serve({ 'POST /api/compute/alarm-levels': ALARMS });
    render(BenchScreen, { name: 'alarm-levels' });
    expect(await screen.findByTestId('answer')).toHaveTextContent('11.10 V and 10.90 V at rest');
    expect(screen.getByText('The gap is shorter than the way home.')).toBeInTheDocument();
    expect(screen.getByText(/prove them in a trial flight near home/)).toBeInTheDocument();
    const body = lastTo(seen, /alarm-levels/)!.body as { cells_count: number; readings: unknown[]; most_loss_v?: number };
    expect(body.cells_count).toBe(4);
    expect(body.readings).toHaveLength(6);
    expect(body).not.toHaveProperty('most_loss_v');
  });

  it('asks anew when a figure changes', async () => {
    const seen = serve({ 'POST /api/compute/alarm-levels': ALARMS });
    render(BenchScreen, { name: 'alarm-levels' });
    await screen.findByTestId('answer');
    const way = screen.getByLabelText(/Way home/);
    await fireEvent.input(way, { target: { value: '75' } });
    await fireEvent.blur(way);
    await waitFor(() => expect(lastTo(seen, /alarm-levels/)!.body).toMatchObject({ return_s: 75 }));
  });

  it('shows a refusal at its field and no answer beside it', async () => {
    serve({
      'POST /api/compute/alarm-levels': new Refusal(422, 'readings', 'The readings do not reach level 1. Fly the test on.'),
    });
    render(BenchScreen, { name: 'alarm-levels' });
    expect(await screen.findByText('The readings do not reach level 1. Fly the test on.')).toBeInTheDocument();
    expect(screen.queryByTestId('answer')).toBeNull();
    expect(screen.getByText(/The answer follows when the figures fit/)).toBeInTheDocument();
  });

  it('says at the field what is no number without asking the server', async () => {
    const seen = serve({ 'POST /api/compute/alarm-levels': ALARMS });
    render(BenchScreen, { name: 'alarm-levels' });
    await screen.findByTestId('answer');
    const asked = seen.length;
    await fireEvent.input(screen.getByLabelText(/^Readings/), { target: { value: '0 twelve' } });
    expect(await screen.findByText('Type numbers only, a space between them.')).toBeInTheDocument();
    expect(seen).toHaveLength(asked);
  });

  it('starts with the first calculator where the address names none', async () => {
    serve({ 'POST /api/compute/*': { verdict: 'good', weakest_v: 3.95, words: 'held', picture: PICTURE, working: WORKING } });
    render(BenchScreen, { name: '' });
    expect(await screen.findByTestId('answer')).toHaveTextContent('good');
    expect(screen.getByRole('link', { name: TOOLS[0]!.title })).toHaveAttribute('aria-current', 'page');
    expect(screen.getAllByRole('link')).toHaveLength(TOOLS.length);
  });
});

describe('the figures of an answer', () => {
  const tool = (name: string) => TOOLS.find((t) => t.name === name)!;

  it('are read as people say them', () => {
    const back = { plan_s: 315, draw_a: 11.77, capacity_ah: 1.569, reserve_ah: 0.54, health_frac: 0.872, working: WORKING };
    expect(tool('charge-back').head(back)).toBe('5:15 min');
    expect(Object.fromEntries(tool('charge-back').figures(back))).toEqual({
      draw: '196 mAh/min',
      holds: '1\u202f569 mAh',
      reserve: '540 mAh',
      'of rated': '87 %',
    });
    const current = {
      current_a: 27.45,
      rate_c_count: 18.3,
      resistance_25_ohm: 0.01192,
      sag_v: 0.327,
      label_a: null,
      leads_ohm: null,
      working: WORKING,
    };
    expect(tool('sustainable-current').head(current)).toBe('27.4 A, 18 C');
    expect(
      tool('sustainable-current')
        .figures(current)
        .map(([k]) => k),
    ).toEqual(['worst cell at 25 °C', 'sag of it']);
    expect(tool('rest-voltage').head({ tells: false, working: WORKING })).toBe('Volts do not tell');
    expect(tool('transport').figures({ energy_wh: 355.2, most_charge_frac: 0.3, working: WORKING })).toEqual([
      ['energy', '355 Wh'],
      ['charged to at most', '30 %'],
    ]);
    expect(tool('compare-packs').head({ over_life: null, one_flight: [18.2, 21.5], working: WORKING })).toBe(
      '18.200 against 21.500',
    );
  });
});

describe('a curve', () => {
  it('names lines, levels and points where they stand', () => {
    render(BenchCurve, { picture: PICTURE, label: 'Alarm levels' });
    expect(screen.getByRole('img', { name: 'Alarm levels' })).toBeInTheDocument();
    for (const words of ['level 1', 'floor 10 V', 'home', 'min', 'V']) expect(screen.getByText(words)).toBeInTheDocument();
  });

  it('draws cells as bars from the top', () => {
    const cells = {
      x: 'cell',
      y: 'V',
      lines: [],
      marks: [1, 2, 3].map((k) => ({ words: `3.9${k}`, x: k, y: 3.9, tone: 'plain' })),
    } as never;
    const { container } = render(BenchCurve, { picture: cells, label: 'cells' });
    expect(container.querySelectorAll('path[stroke-width="5"]')).toHaveLength(3);
  });
});
