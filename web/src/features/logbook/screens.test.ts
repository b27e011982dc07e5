import { fireEvent, render, screen, waitFor, within } from '@testing-library/svelte';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { session } from '$shared/session.svelte';
import { notices } from '$shared/ui/notices.svelte';
import { lastTo, Refusal, serve } from '../../test-server';
import ClaimsScreen from './ClaimsScreen.svelte';
import ColumnsScreen from './ColumnsScreen.svelte';
import LogbookScreen from './LogbookScreen.svelte';
import TotalsScreen from './TotalsScreen.svelte';
import ColumnsUsed from './components/ColumnsUsed.svelte';
import WhatItIs from './components/WhatItIs.svelte';

vi.mock('$app/navigation', () => ({ goto: vi.fn() }));
vi.mock('$app/state', () => ({ page: { url: new URL('http://localhost:3000/logbook') } }));

const WORKING = { title: 'w', value: 1, unit: '', note: '', steps: [] };
const ENTRY = {
  id: 'day:d:S1',
  source: 'day',
  began_at: '2031-05-06T08:10:00Z',
  length_s: 700,
  from_frac: null,
  to_frac: 0.4,
  aircraft: 'Wren',
  aircraft_id: 'a',
  packs: ['02'],
  pack_ids: ['p'],
  job_id: 'j',
  job: 'Top field',
  letter: 'S',
  sortie: 'S1',
  day_id: 'd',
  day: 'Field day',
  date: '2031-05-06',
  who: 'Otto',
  planned_s: 600,
  planned_frac: 0.5,
  hectares: 3,
  litres: null,
  air_c: 10,
  flight_id: 'f',
  ask: '',
};
const BOOK = {
  entries: [ENTRY],
  flights: 1,
  flown_s: 700,
  hectares: 3,
  litres: 0,
  with_log: 1,
  asking_files: [{ id: 'x', name: 'odd.csv', words: 'say what “lvl” holds' }],
  asking_flights: [],
  imports: [],
};
const DONE = {
  id: 'i',
  name: 'a.zip',
  state: 'done',
  total: 2,
  done: 2,
  words: '1 read with 1 flights, 1 refused',
  made_at: '2031-05-06T08:10:00Z',
  report: [
    { name: 'a.csv', state: 'read', words: '1 flight', file_id: 'a', flights: 1, rows: 9, bad_rows: 0 },
    {
      name: 'b.csv',
      state: 'refused',
      words: 'This file is empty: export the log again.',
      file_id: null,
      flights: 0,
      rows: 0,
      bad_rows: 0,
    },
  ],
};
const LESSON = {
  subject: 'power',
  thing: 'aircraft',
  thing_id: 'a',
  name: 'Wren',
  kind: 'Skarra',
  claimed: 600,
  unit: 'W',
  now_factor: 1,
  now_number: null,
  factor: 1.06,
  figures: {
    measured_ratio: 1.1,
    count: 6,
    left_out: 1,
    weight_frac: 0.6,
    low: 1.05,
    high: 1.15,
    noise: false,
    words: '',
    working: WORKING,
  },
  points: [{ flight_id: 'f', at: null, ratio: 1.1, measured: 660, claimed: 600 }],
  new: true,
};
const CLAIMS = { lessons: [LESSON], calibrations: [], days: [], covered: 0, covered_of: 0, minutes: [] };
const MINUTES = {
  aircraft_model: 'Quad',
  pack_model: 'Slab',
  reserve_frac: 0.3,
  rated: [
    { kind: 'hover', rated_min: 40, left_frac: 0.1, measured_min: 32 },
    { kind: 'figures', rated_min: 36, left_frac: 0, measured_min: 34 },
  ],
  rows: [
    {
      by: 'firmware',
      name: '2.1',
      flights: 7,
      kneed: 3,
      to_reserve_min: 24.5,
      to_warning_min: null,
      to_empty_min: 33.9,
      least_min: 31,
      most_min: 36,
    },
  ],
};

const column = (header: string, more = {}) => ({
  header,
  unit_row: '',
  quantity: '',
  unit: '',
  cell: 0,
  certain: true,
  why: '',
  ...more,
});

const PAGE = {
  file: {
    id: 'x',
    name: 'odd.csv',
    size: 4000,
    state: 'asks',
    words: '',
    rows: 0,
    bad_rows: 0,
    examples: [],
    doubts: [],
    held: false,
    look: {
      columns: [column('t', { quantity: 'time_s', unit: 's', certain: false }), column('lvl')],
      rows: [['1.0', '99']],
      lacks: '',
      separator: ',',
      decimal: '.',
      encoding: 'utf-8',
      first_row: 2,
    },
    zone: '',
    same_kind: 2,
    columns_said: false,
    flights: [],
  },
  choices: [
    { name: 'time_s', words: 'time', units: ['s', 'ms'] },
    { name: 'left_frac', words: 'percent left', units: ['%', 'share'] },
  ],
  zone_guess: 'UTC',
};

beforeEach(() => {
  session.me = { signed_in: true, units: 'metric', rights: ['logs:read', 'logs:delete', 'calibrations:accept'] } as never;
  vi.spyOn(window.history, 'replaceState').mockImplementation(() => {});
  notices.list = [];
});
afterEach(() => {
  vi.restoreAllMocks();
});

describe('the logbook', () => {
  it('lists what was flown, against its plan, and what needs an answer', async () => {
    serve({ 'GET /api/logbook': BOOK });
    render(LogbookScreen);
    const row = (await screen.findByText('Wren')).closest('tr')!;
    expect(within(row).getByText('+1:40')).toBeTruthy();
    expect(within(row).getByText('S1 Top field')).toBeTruthy();
    expect(screen.getByRole('link', { name: 'odd.csv' }).getAttribute('href')).toBe('/logbook/files/x');
  });

  it('says that nothing was flown, and tries again after a fault', async () => {
    let fail = true;
    serve({ 'GET /api/logbook': () => (fail ? new Refusal(500, '', 'It broke.') : { ...BOOK, entries: [], flights: 0 }) });
    render(LogbookScreen);
    await screen.findByText(/It broke/);
    fail = false;
    await fireEvent.click(screen.getByRole('button', { name: 'Try again' }));
    await screen.findByText('Nothing was flown in this time');
  });

  it('sends what is dropped and has a word on every file', async () => {
    serve({ 'GET /api/logbook': BOOK, 'POST /api/logbook/imports': DONE });
    render(LogbookScreen);
    const box = await screen.findByTestId('drop-logs');
    await fireEvent.drop(box, { dataTransfer: { files: [new File(['x'], 'a.zip')] } });
    await screen.findByText(/1 read with 1 flights, 1 refused/);
    expect(screen.getByText(/This file is empty/)).toBeTruthy();
  });
});

describe('columns', () => {
  it('shows real rows, takes what is said, and puts a refusal at its column', async () => {
    let answer: unknown = new Refusal(422, 'columns.1', 'Choose one of its units.');
    const seen = serve({ 'GET /api/logbook/files/x': PAGE, 'PUT /api/logbook/files/x/columns': () => answer });
    render(ColumnsScreen, { id: 'x' });
    await screen.findByText('99');
    expect(screen.getByText(/2 more logs of this kind/)).toBeTruthy();
    await fireEvent.change(screen.getByLabelText('What lvl holds'), { target: { value: 'left_frac' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Read it so' }));
    await screen.findByText('Choose one of its units.');
    expect(screen.getByLabelText('What lvl holds').getAttribute('aria-invalid')).toBe('true');
    answer = { read: 3, queued: 0, refused: [], file: { ...PAGE.file, flights: ['f'] } };
    await fireEvent.click(screen.getByRole('button', { name: 'Read it so' }));
    await waitFor(() => expect(notices.list.at(-1)?.text).toContain('3 logs read'));
    expect(lastTo(seen, /columns/)?.body).toMatchObject({
      columns: [{ header: 't' }, { header: 'lvl', quantity: 'left_frac', unit: '%' }],
    });
  });
});

describe('a held log', () => {
  it('shows the rows, and is read without a column or in parts', async () => {
    const look = {
      ...PAGE.file.look,
      columns: PAGE.file.look.columns.map((c) => (c.header === 'lvl' ? { ...c, quantity: 'left_frac' } : c)),
    };
    const holds = [
      {
        words: 'its percent rises by 20 points in flight',
        line: 152,
        rows: [
          { number: 151, cells: ['150', '70'] },
          { number: 152, cells: ['151', '90'] },
        ],
        leave_out: ['lvl'],
        splits: true,
      },
    ];
    const page = { ...PAGE, file: { ...PAGE.file, look, held: true, holds, doubts: ['its percent rises'] } };
    const seen = serve({
      'GET /api/logbook/files/x': page,
      'POST /api/logbook/files/x/accept': page,
      'PUT /api/logbook/files/x/columns': { read: 1, queued: 0, refused: [], file: { ...PAGE.file, flights: ['f'] } },
    });
    render(ColumnsScreen, { id: 'x' });
    const line = await screen.findByRole('row', { name: /▸ 152/ });
    expect(within(line).getByText('90')).toBeTruthy();
    await fireEvent.click(screen.getByRole('button', { name: /Read in parts/ }));
    await waitFor(() => expect(notices.list.at(-1)?.text).toContain('Still held'));
    expect(lastTo(seen, /accept/)?.body).toEqual({ split: true });
    await fireEvent.click(screen.getByRole('button', { name: 'Read it without “lvl”' }));
    await waitFor(() => expect(lastTo(seen, /columns/)).toBeTruthy());
    expect((lastTo(seen, /columns/)!.body as { columns: { header: string; quantity: string }[] }).columns[1]).toMatchObject({
      header: 'lvl',
      quantity: '',
    });
  });
});

describe('rated and measured', () => {
  it('lets a lead accept what was seen, and take it back', async () => {
    const made = { ...LESSON, now_factor: 1.06, now_number: 1, new: false };
    let claims: unknown = CLAIMS;
    const seen = serve({
      'GET /api/logbook/claims': () => claims,
      'POST /api/logbook/calibrations': { number: 1, name: 'Wren', factor: 1.06, subject: 'power' },
      'POST /api/logbook/calibrations/1/roll-back': { number: 1 },
    });
    render(ClaimsScreen);
    await screen.findByText('as rated');
    claims = { ...CLAIMS, lessons: [made] };
    await fireEvent.click(screen.getByRole('button', { name: 'Plan by this' }));
    await screen.findByText(/calibration 1,/);
    expect(lastTo(seen, /calibrations$/)?.body).toMatchObject({ subject: 'power', factor: 1.06 });
    await fireEvent.click(screen.getByRole('button', { name: 'Take back' }));
    await waitFor(() => expect(lastTo(seen, /roll-back/)).toBeTruthy());
  });

  it('says what difference not significant, and that nothing teaches yet', async () => {
    serve({ 'GET /api/logbook/claims': { ...CLAIMS, lessons: [{ ...LESSON, figures: { ...LESSON.figures, noise: true } }] } });
    const one = render(ClaimsScreen);
    await screen.findByText('difference not significant');
    one.unmount();
    serve({ 'GET /api/logbook/claims': { ...CLAIMS, lessons: [] } });
    render(ClaimsScreen);
    await screen.findByText('Nothing teaches yet');
  });
});

it('minutes rated by the maker stand beside those measured, and how far they lie apart', async () => {
  serve({ 'GET /api/logbook/claims': { ...CLAIMS, minutes: [MINUTES] } });
  render(ClaimsScreen);
  await screen.findByText('Maker, hover, to 10 % left');
  expect(screen.getByText('40.0 rated, 32.0 min measured')).toBeTruthy();
  expect(screen.getByText(/−20 % against the rating/)).toBeTruthy();
  expect(within(screen.getByRole('row', { name: /Firmware: 2.1/ })).getByText('24.5')).toBeTruthy();
});

it('totals follow what they are asked by, and go out as they stand', async () => {
  const row = {
    name: 'Otto',
    flights: 2,
    flown_s: 3600,
    cycles: 1.4,
    hectares: 0,
    litres: 0,
    with_log: 1,
    longest_s: 1800,
    warned: 0,
    early: 0,
  };
  serve({
    'GET /api/logbook/totals': { by: 'person', begins: null, ends: null, rows: [row], sum: { ...row, name: 'all' }, months: [] },
  });
  render(TotalsScreen);
  await screen.findByText('Otto');
  await fireEvent.click(screen.getByRole('button', { name: 'Person' }));
  expect(screen.getByRole('link', { name: 'Return as PDF' }).getAttribute('href')).toContain('by=person');
  expect(screen.getByTestId('all-hours').textContent).toBe('1.0');
});

it('a log that only counts asks when it was; a doubtful one which flight it is', async () => {
  serve({ 'GET /api/fleet': { packs: [], aircraft: [] } });
  const change = vi.fn(async () => true);
  const flight = {
    began_at: null,
    candidates: [],
    match: 'none',
    packs: [],
    aircraft: null,
    serial: '',
    payload_kg: null,
    air_c: null,
  };
  const one = render(WhatItIs, { flight: flight as never, change, problem: null });
  await fireEvent.input(screen.getByLabelText(/When did it take off/), { target: { value: '2031-05-06T09:12' } });
  await fireEvent.click(screen.getByRole('button', { name: 'Save' }));
  expect(change).toHaveBeenCalledWith({ began_at: new Date('2031-05-06T09:12').toISOString() });
  one.unmount();
  const found = {
    id: 'record:1',
    score: 0.5,
    off_s: 0,
    why: 'close',
    began_at: '2031-05-06T09:12:00Z',
    length_s: 600,
    words: 'Wren',
  };
  const asked = { ...flight, began_at: '2031-05-06T09:12:00Z', match: 'asked', candidates: [found] };
  render(WhatItIs, { flight: asked as never, change, problem: null });
  await fireEvent.click(screen.getByRole('button', { name: 'This one' }));
  expect(change).toHaveBeenLastCalledWith({ record: 'record:1' });
  await fireEvent.click(screen.getByRole('button', { name: 'None of these' }));
  expect(change).toHaveBeenLastCalledWith({ record: '' });
});

describe('the columns of a log', () => {
  it('are counted in one line, which opens to what each was taken for and why others were not', () => {
    const column = (header: string, words: string, unit = '', why = '') => ({ header, words, unit, why });
    render(ColumnsUsed, {
      columns: [column('Pack (V)', 'volts of the pack', 'V'), column('Tablet (%)', '', '', 'it is of another battery')],
    });
    expect(screen.getByText('Columns: 1 of 2 used')).toBeInTheDocument();
    expect(screen.getByText('volts of the pack, V')).toBeInTheDocument();
    expect(screen.getByText('not used: it is of another battery')).toBeInTheDocument();
  });
});
