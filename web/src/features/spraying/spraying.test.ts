import { fireEvent, render, screen, waitFor, within } from '@testing-library/svelte';
import { afterEach, describe, expect, it } from 'vitest';
import { Refusal, serve } from '../../test-server';
import { session } from '$shared/session.svelte';
import MixScreen from './MixScreen.svelte';
import RecordScreen from './RecordScreen.svelte';
import RecordsScreen from './RecordsScreen.svelte';
import StoreScreen from './StoreScreen.svelte';

type Me = NonNullable<typeof session.me>;
const be = (rights: string[]) => (session.me = { signed_in: true, rights, live_day: null } as unknown as Me);
afterEach(() => {
  session.me = null;
  localStorage.clear();
});

const SHEET = {
  job_id: 'j1',
  job: 'Bank',
  letter: 'B',
  crop: 'bracken',
  problem: '',
  field: '',
  rate_l_ha: 20,
  area_ha: 1.5,
  spray_l: 30,
  mix_l: 31,
  lines_l: 1,
  vessel: false,
  fill_s: 180,
  loads: [
    { number: 1, load_l: 16, water_l: 15.2, amounts: [0.8], sorties: ['B1'] },
    { number: 2, load_l: 15, water_l: 14.25, amounts: [0.75], sorties: ['B2'] },
  ],
  products: [
    {
      product_id: 'p1',
      name: 'Aldra',
      unit: 'L',
      form: 'suspension',
      per_ha_amount: 1,
      total_amount: 1.55,
      from_batches: ['L-77'],
      short_amount: 0.4,
      clothing: 'gloves',
      reentry_h: 24,
      rainfast_h: null,
      before_harvest_days: null,
    },
  ],
  findings: [{ verdict: 'no', words: 'Aldra: this would be treatment 3 of the season, 2 are allowed.', field: '' }],
  usual: ['Aldra'],
  label_table: [],
};
const RECORD = {
  number: 3,
  job_id: 'j1',
  day_id: 'd1',
  job: 'Bank',
  letter: 'B',
  day: 'Field day',
  date: '2031-05-06',
  time_zone: 'UTC',
  place: '',
  closed_at: null,
  without: '',
  area_ha: 1.5,
  litres: 30,
  litres_counted: true,
  rate_l_ha: 20,
  swath_m: 5,
  fields: [
    { key: 'crop', label: 'Crop', value: 'bracken', unit: '', needed: true, choices: [] },
    { key: 'pressure_bar', label: 'Pressure', value: '', unit: 'bar', needed: true, choices: [] },
  ],
  loads: [],
  weather: [
    {
      key: 'weather:start:0',
      words: 'at the start',
      due_at: '2031-05-06T08:00:00Z',
      taken_at: null,
      wind_m_s: null,
      gust_m_s: null,
      from_deg: null,
      air_c: null,
      humidity_frac: null,
      delta_t_k: null,
      who: '',
    },
  ],
  products: [],
  kept_clear: [],
  lacks: ['Pressure: not entered.'],
  entries: [],
};

describe('a mix sheet', () => {
  it('shows each load in the order of filling, what it is for, and what speaks against it', async () => {
    serve({ 'GET /api/jobs/j1/mix': SHEET });
    render(MixScreen, { id: 'j1' });
    const [first, second] = await screen.findAllByTestId('load');
    const rows = within(first!)
      .getAllByRole('listitem')
      .map((x) => x.textContent);
    expect(rows[0]).toMatch(/1. Water, about half\s*7.6 L/);
    expect(rows[1]).toMatch(/2. Aldra\s*800 mL/);
    expect(rows[2]).toMatch(/3. Water, up to 16.0 L/);
    expect(first).toHaveTextContent('1.0 L of it for pump and lines');
    expect(second).not.toHaveTextContent('pump and lines');
    expect(screen.getByTestId('mix-finding')).toHaveTextContent('No: Aldra: this would be treatment 3');
    expect(screen.getByText(/the store is short of 400 mL/)).toBeVisible();
  });

  it('says why there is none, and where to go', async () => {
    serve({ 'GET /api/jobs/j1/mix': { ...SHEET, problem: 'Aldra has no rate.', loads: [], products: [], findings: [] } });
    render(MixScreen, { id: 'j1' });
    expect(await screen.findByRole('alert')).toHaveTextContent('No mix sheet yet. Aldra has no rate.');
    expect(screen.getByRole('button', { name: 'PDF' })).toBeDisabled();
  });
});

describe('a spray record', () => {
  it('marks what it needs, and takes the weather in the units that are shown', async () => {
    be(['records:write']);
    const seen = serve({
      'GET /api/days/d1/jobs/j1/spray-record': RECORD,
      'POST /api/days/d1/jobs/j1/spray-record': { ...RECORD, lacks: [] },
    });
    render(RecordScreen, { dayId: 'd1', jobId: 'j1' });
    expect(await screen.findByTestId('lacks')).toHaveTextContent('Pressure: not entered.');
    expect(screen.getByTestId('record-fields')).toHaveTextContent('! not entered');
    await fireEvent.click(screen.getByRole('button', { name: /Enter weather at the start/ }));
    await fireEvent.input(screen.getByLabelText('Wind, m/s'), { target: { value: '2,5' } });
    await fireEvent.input(screen.getByLabelText('Humidity, %'), { target: { value: '60' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Save' }));
    await waitFor(() => expect(screen.getByTestId('lacks')).toHaveTextContent('Nothing is missing.'));
    expect(seen.find((a) => a.method === 'POST')?.body).toEqual({
      key: 'weather:start:0',
      value: { wind_m_s: 2.5, humidity_frac: 0.6 },
      why: '',
    });
  });

  it('is read and not written by who may not, and keeps what was typed where it is refused', async () => {
    be(['records:write']);
    serve({ 'GET /api/days/d1/jobs/j1/spray-record': { ...RECORD, closed_at: '2031-05-06T18:00:00Z' } });
    const first = render(RecordScreen, { dayId: 'd1', jobId: 'j1' });
    expect(await screen.findByRole('button', { name: 'Correct crop' })).toBeDisabled();
    first.unmount();
    serve({
      'GET /api/days/d1/jobs/j1/spray-record': RECORD,
      'POST /api/days/d1/jobs/j1/spray-record': new Refusal(422, 'pressure_bar', 'Pressure is not a number.'),
    });
    render(RecordScreen, { dayId: 'd1', jobId: 'j1' });
    await fireEvent.click(await screen.findByRole('button', { name: 'Enter pressure' }));
    await fireEvent.input(screen.getByLabelText('Pressure'), { target: { value: 'lots' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Save' }));
    expect(await screen.findByRole('alert')).toHaveTextContent('Pressure is not a number.');
    expect(screen.getByLabelText('Pressure')).toHaveValue('lots');
  });
});

describe('records and the store', () => {
  it('say what they are for while they are empty', async () => {
    be(['records:write']);
    serve({
      'GET /api/spray-records': { items: [], not_shown: 0, area_ha: 0, litres: 0, seasons: [], columns: [['crop', 'crop']] },
      'GET /api/store': { batches: [] },
      'GET /api/fleet': { products: [] },
    });
    render(RecordsScreen);
    expect(await screen.findByText(/A record begins by itself/)).toBeVisible();
    expect(screen.getByRole('button', { name: 'PDF' })).toBeDisabled();
    render(StoreScreen);
    expect(await screen.findByText(/Enter them first, from their labels/)).toBeVisible();
  });

  it('mark a batch that has expired or holds less than nothing', async () => {
    be([]);
    const batch = {
      id: 'b1',
      product_id: 'p1',
      product: 'Aldra',
      unit: 'L',
      name: 'L-77',
      expires_on: '2020-01-01',
      expired: true,
      left_amount: -0.5,
      archived: false,
      moves: [],
    };
    serve({ 'GET /api/store': { batches: [batch] }, 'GET /api/fleet': { products: [{ id: 'p1', name: 'Aldra', unit: 'L' }] } });
    render(StoreScreen);
    expect(await screen.findByText(/! expired/)).toBeVisible();
    expect(screen.getByText('−500 mL')).toBeVisible();
    expect(screen.getByRole('button', { name: 'Record a move of L-77' })).toBeDisabled();
  });
});
