import { fireEvent, render, screen, waitFor, within } from '@testing-library/svelte';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { goto } from '$app/navigation';
import type { Schemas } from '$shared/api/client';
import { session } from '$shared/session.svelte';
import { Refusal, lastTo, page, serve } from '../../test-server';
import { boundWords, nextOpen, padded, spoken, type Check } from './checks';
import PreflightList from './PreflightList.svelte';
import PreflightScreen from './PreflightScreen.svelte';

vi.mock('$app/navigation', () => ({ goto: vi.fn() }));
vi.mock('$app/state', () => ({ page: { url: new URL('http://x/preflight?job=j1&sortie=2') } }));

const check = (key: string, words: string, more: Partial<Check> = {}): Check => ({
  key,
  words,
  entry: 'tick',
  caution: '',
  because: '',
  done: false,
  verdict: 'no',
  reason: `${words}: not done yet.`,
  unit: '',
  scale: 1,
  decimals: 0,
  follows: 'No go until it is put right.',
  likely: [],
  answer: '',
  remark: '',
  least: null,
  most: null,
  ...more,
});
const satellites = check('satellites_count', 'Satellites', {
  entry: 'number',
  least: { value: 12, sheet: 'Company', level: 'organisation', why: 'usual' },
});
const charge = check('charge_frac', 'Charge', { entry: 'number', unit: '%', scale: 100 });
const cells = check('cells', 'Cells in the first climb', { entry: 'cells', caution: 'Watch each cell.' });

function list(lines: Check[], more: Partial<Schemas['PreflightOut']> = {}): Schemas['PreflightOut'] {
  const open = lines.filter((l) => !l.done).length;
  return {
    id: 'p1',
    version: 1,
    job_id: 'j1',
    job: 'Top field',
    letter: 'S',
    kind: 'mapping',
    aircraft_id: 'a1',
    aircraft: 'Wren',
    sortie: 2,
    on: '2031-05-06',
    state: 'open',
    override: null,
    closed_at: null,
    word: open ? 'no' : 'go',
    words: '',
    parts: [{ part: 'take-off', words: 'Every take-off', lines, open }],
    open_count: open,
    reasons: [],
    hard: [],
    may_override: open > 0,
    climb_word: 'go',
    climb_words: 'Go on',
    climb_open_count: 0,
    climb_reasons: [],
    weather: null,
    entries: {},
    cells: 3,
    packs: [{ id: 'k', name: '04', grounded: false }],
    hour: null,
    people: null,
    minutes: 1200,
    power_up: [],
    ...more,
  };
}

beforeEach(() => {
  session.me = {
    signed_in: true,
    units: 'metric',
    rights: ['preflight:write', 'limits:override'],
    organisation: 'Crew',
  } as never;
});
afterEach(() => {
  vi.clearAllMocks();
});

describe('how checks read', () => {
  it('goes to the next open one, around the end if need be', () => {
    const lines = [check('a', 'a'), check('b', 'b', { done: true }), check('c', 'c')];
    expect(nextOpen(lines, 'a')).toBe('c');
    expect(nextOpen(lines, 'c')).toBe('a');
    expect(nextOpen([check('a', 'a', { done: true })], 'a')).toBe('a');
    expect(nextOpen([], '')).toBe('');
  });

  it('says an entry in its unit, of cells the lowest, of a tick nothing', () => {
    expect(spoken(charge, 0.985)).toBe('99 %');
    expect(spoken(cells, [3.95, 3.71, 3.9])).toBe('3.71 V');
    expect(spoken(check('home', 'Home'), true)).toBe('');
    expect(spoken(satellites, null)).toBe('');
    expect(padded('12', true)).toBe('−12');
    expect(padded('', false)).toBe('');
  });

  it('names the limit and whose it is', () => {
    expect(boundWords(satellites)).toBe('at least 12 (Company)');
    expect(boundWords(charge)).toBe('');
  });
});

describe('a list', () => {
  const done = { ...satellites, done: true, verdict: 'go' as const, reason: '' };

  it('takes a number by big keys, sends it in SI and goes on', async () => {
    const seen = serve({
      'GET /api/preflights/*': list([charge, satellites]),
      'PATCH /api/preflights/*': list([{ ...charge, done: true, verdict: 'go' }, satellites], {
        entries: { charge_frac: { value: 0.98, by: 'Otto', at: '', record: '', answer: '', words: '' } },
      }),
    });
    render(PreflightScreen, { id: 'p1' });
    await screen.findByText('Charge', { selector: '.sharp' });
    await fireEvent.click(screen.getByRole('button', { name: '9' }));
    await fireEvent.click(screen.getByRole('button', { name: '8' }));
    expect(screen.getByLabelText('Typed')).toHaveTextContent('98');
    await fireEvent.click(screen.getByRole('button', { name: 'Save' }));
    await screen.findByText('Satellites', { selector: '.sharp' });
    expect(lastTo(seen, /preflights\/p1$/)!.body).toMatchObject({ entries: { charge_frac: 0.98 } });
    expect(screen.getByText('at least 12 (Company)')).toBeInTheDocument();
    expect(screen.getByText('98 %')).toBeInTheDocument();
  });

  it('takes the volts of cells by the keyboard alone and sends them when the last is full', async () => {
    const seen = serve({ 'GET /api/preflights/*': list([cells]), 'PATCH /api/preflights/*': list([{ ...cells, done: true }]) });
    render(PreflightScreen, { id: 'p1' });
    await screen.findByText('Cells in the first climb', { selector: '.sharp' });
    for (const key of '39637') await fireEvent.keyDown(document.body, { key });
    await fireEvent.keyDown(document.body, { key: 'Backspace' });
    for (const key of '71395') await fireEvent.keyDown(document.body, { key });
    await waitFor(() => expect(lastTo(seen, /p1$/)?.method).toBe('PATCH'));
    expect(lastTo(seen, /p1$/)!.body).toMatchObject({ entries: { cells: [3.96, 3.71, 3.95] } });
  });

  it('ticks with one key, and opens a check again', async () => {
    const home = check('home', 'Home point set');
    const ticked = { ...home, done: true, verdict: 'go' as const };
    const seen = serve({ 'GET /api/preflights/*': list([home]), 'PATCH /api/preflights/*': list([ticked]) });
    render(PreflightScreen, { id: 'p1' });
    await screen.findByText('Home point set', { selector: '.sharp' });
    await fireEvent.keyDown(document.body, { key: 'Enter' });
    await screen.findByRole('button', { name: 'Done ✓' });
    expect(lastTo(seen, /p1$/)!.body).toMatchObject({ entries: { home: true } });
    await fireEvent.click(screen.getByRole('button', { name: 'Open it again' }));
    await waitFor(() => expect(lastTo(seen, /p1$/)!.body).toMatchObject({ entries: { home: null } }));
  });

  it('shows a refusal and keeps what was typed', async () => {
    serve({
      'GET /api/preflights/*': list([satellites]),
      'PATCH /api/preflights/*': new Refusal(422, 'satellites_count', 'Satellites is 99; give a value from 0 to 60.'),
    });
    render(PreflightScreen, { id: 'p1' });
    await screen.findByText('Satellites', { selector: '.sharp' });
    await fireEvent.keyDown(document.body, { key: '9' });
    await fireEvent.keyDown(document.body, { key: '9' });
    await fireEvent.keyDown(document.body, { key: 'Enter' });
    expect(await screen.findByRole('alert')).toHaveTextContent('give a value from 0 to 60');
    expect(screen.getByLabelText('Typed')).toHaveTextContent('99');
  });

  it('says the reasons, what nobody may override, and how the crew is to be relieved', async () => {
    const hard = 'The pack is grounded: swollen.';
    serve({
      'GET /api/preflights/*': list([done], {
        word: 'no',
        reasons: [hard, 'Gust 12.'],
        hard: [hard],
        may_override: false,
        people: { chill_c: -19.6, relief_s: 3600 },
      }),
    });
    render(PreflightScreen, { id: 'p1' });
    const verdict = await screen.findByTestId('preflight-verdict');
    expect(verdict).toHaveTextContent('No go');
    expect(verdict).toHaveTextContent('The pack is grounded: swollen. Nobody may override this.');
    expect(verdict).toHaveTextContent(/Feels like -20 °C: relieve the crew every 60 min/);
    expect(screen.getByRole('button', { name: /Override …/ })).toBeDisabled();
    expect(screen.getByRole('button', { name: 'Clear for take-off' })).toBeDisabled();
  });

  it('asks for a name and a reason before it is overridden', async () => {
    const closed = list([satellites], {
      state: 'overridden',
      override: { name: 'Ada', reason: 'she is in sight', by: 'Otto', at: '', in_spite_of: ['Satellites 8.'] },
    });
    let tries = 0;
    const seen = serve({
      'GET /api/preflights/*': list([satellites]),
      'POST /api/preflights/*/override': () => (tries++ ? closed : new Refusal(422, 'name', 'Write the name.')),
    });
    render(PreflightScreen, { id: 'p1' });
    await fireEvent.click(await screen.findByRole('button', { name: /Override …/ }));
    const form = screen.getByRole('form', { name: 'Override' });
    await fireEvent.input(within(form).getByLabelText('Why'), { target: { value: 'she is in sight' } });
    await fireEvent.submit(form);
    expect(await screen.findByText('Write the name.')).toBeInTheDocument();
    await fireEvent.input(within(form).getByLabelText('Who decides'), { target: { value: 'Ada' } });
    await fireEvent.submit(form);
    await waitFor(() => expect(screen.getByTestId('preflight-verdict')).toHaveTextContent('Overridden'));
    expect(lastTo(seen, /override/)!.body).toEqual({ name: 'Ada', reason: 'she is in sight' });
    expect(screen.getByTestId('preflight-verdict')).toHaveTextContent('Overridden: Satellites 8.');
    await fireEvent.click(screen.getByRole('button', { name: 'Next list' }));
    expect(goto).toHaveBeenCalledWith('/preflight?job=j1&sortie=3');
  });

  it('is cleared when it is a go', async () => {
    serve({ 'GET /api/preflights/*': list([done]), 'POST /api/preflights/*/clear': list([done], { state: 'cleared' }) });
    render(PreflightScreen, { id: 'p1' });
    await fireEvent.click(await screen.findByRole('button', { name: 'Clear for take-off' }));
    await waitFor(() => expect(screen.getByTestId('preflight-verdict')).toHaveTextContent('Cleared'));
  });

  it('opens the checks of the first climb after it is cleared, and ends in go on or come back', async () => {
    const parts = (lines: Check[]) => [
      { part: 'take-off' as const, words: 'Every take-off', lines: [done], open: 0 },
      { part: 'climb' as const, words: 'After launch', lines, open: lines.filter((l) => !l.done).length },
    ];
    const hover = check('hover', 'Hover holds its place');
    const cleared = list([done], {
      state: 'cleared',
      parts: parts([hover]),
      climb_word: 'no',
      climb_words: 'Come back',
      climb_open_count: 1,
    });
    const held = list([done], { state: 'cleared', parts: parts([{ ...hover, done: true, verdict: 'go' }]) });
    const seen = serve({
      'GET /api/preflights/*': list([done], { parts: parts([hover]) }),
      'POST /api/preflights/*/clear': cleared,
      'PATCH /api/preflights/*': held,
      'POST /api/preflights/*/climb': { ...held, state: 'went on' },
    });
    render(PreflightScreen, { id: 'p1' });
    await fireEvent.click(await screen.findByRole('button', { name: 'Clear for take-off' }));
    expect(await screen.findByText('Hover holds its place', { selector: '.sharp' })).toBeInTheDocument();
    expect(screen.getByRole('button', { name: 'Go on' })).toBeDisabled();
    expect(screen.getByRole('button', { name: 'Come back' })).toBeEnabled();
    await fireEvent.click(screen.getByRole('button', { name: 'Done' }));
    await waitFor(() => expect(screen.getByRole('button', { name: 'Go on' })).toBeEnabled());
    await fireEvent.click(screen.getByRole('button', { name: 'Go on' }));
    await waitFor(() => expect(screen.getByTestId('climb-verdict')).toHaveTextContent('Went on after the first climb.'));
    expect(lastTo(seen, /climb/)!.body).toEqual({ go_on: true });
  });

  it('says when there is no such list', async () => {
    serve({ 'GET /api/preflights/*': new Refusal(404, '', 'There is no such preflight list.') });
    render(PreflightScreen, { id: 'gone' });
    expect(await screen.findByRole('alert')).toHaveTextContent('no such preflight list');
  });

  const known = (values: object) => ({
    'GET /api/preflights/p1/known': values,
    'PATCH /api/preflights/*': list([charge, satellites]),
  });

  it('takes a likely number, and one that is known, with one tap', async () => {
    const seen = serve({
      'GET /api/preflights/p1': list([{ ...charge, likely: [100, 95] }, satellites]),
      ...known({ charge_frac: { value: 0.97, words: '04 on the running day', now: true } }),
    });
    render(PreflightScreen, { id: 'p1' });
    await fireEvent.click(await screen.findByRole('button', { name: /97 %\s*04 on the running day/ }));
    await waitFor(() => expect(lastTo(seen, /p1$/)?.method).toBe('PATCH'));
    expect(lastTo(seen, /p1$/)!.body).toMatchObject({ entries: { charge_frac: 0.97 } });
  });

  it('takes the ticks of a part and what this take-off tells together, and no number that nobody told', async () => {
    const home = check('home', 'Home point set');
    const seen = serve({
      'GET /api/preflights/p1': list([home, check('mat', 'Mat'), charge, satellites]),
      ...known({
        charge_frac: { value: 0.97, words: '04 on the running day', now: true },
        satellites_count: { value: 9, words: 'last time', now: false },
      }),
    });
    render(PreflightScreen, { id: 'p1' });
    await fireEvent.click(await screen.findByRole('button', { name: /All 3 of “Every take-off” as listed/ }));
    await waitFor(() => expect(lastTo(seen, /p1$/)?.method).toBe('PATCH'));
    expect(lastTo(seen, /p1$/)!.body).toEqual({ entries: { home: true, mat: true, charge_frac: 0.97 }, remarks: {} });
  });

  it('records a defect with what was seen and what follows, and what does not apply with the reason', async () => {
    const props = check('props', 'Props tight', { follows: 'The aircraft stays on the ground.' });
    const seen = serve({ 'GET /api/preflights/p1': list([props]), ...known({}) });
    render(PreflightScreen, { id: 'p1' });
    await fireEvent.click(await screen.findByRole('button', { name: 'Defect …' }));
    expect(screen.getByText('The aircraft stays on the ground.')).toBeInTheDocument();
    await fireEvent.input(screen.getByLabelText('What is wrong'), { target: { value: 'nick in prop 3' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Record defect' }));
    await waitFor(() => expect(lastTo(seen, /p1$/)?.method).toBe('PATCH'));
    expect(lastTo(seen, /p1$/)!.body).toEqual({
      entries: {},
      remarks: { props: { answer: 'defect', words: 'nick in prop 3' } },
    });
  });

  it('shows cells of the last test in their boxes, to be typed over where one differs', async () => {
    const up = list([{ ...cells }], { state: 'cleared' });
    up.parts = [{ ...up.parts[0]!, part: 'climb' }];
    const seen = serve({
      'GET /api/preflights/p1': up,
      'GET /api/preflights/p1/known': { cells: { value: [3.97, 3.96, 3.95], words: 'last load test, 12 Nov', now: false } },
      'PATCH /api/preflights/*': up,
    });
    render(PreflightScreen, { id: 'p1' });
    expect(await screen.findByRole('button', { name: 'Save as shown: last load test, 12 Nov' })).toBeEnabled();
    expect(screen.queryByRole('button', { name: /as listed/ }), 'an old test is no measurement').toBeNull();
    await fireEvent.click(screen.getByRole('button', { name: 'Cell 2: 396' }));
    for (const key of '371') await fireEvent.keyDown(document.body, { key });
    await fireEvent.click(screen.getByRole('button', { name: 'Save' }));
    await waitFor(() => expect(lastTo(seen, /p1$/)?.method).toBe('PATCH'));
    expect(lastTo(seen, /p1$/)!.body).toMatchObject({ entries: { cells: [3.97, 3.71, 3.95] } });
  });
});

describe('the lists', () => {
  const FLEET = {
    aircraft: [{ id: 'a1', name: 'Wren', model_id: 'm1', archived: false }],
    aircraft_models: [{ id: 'm1', name: 'Skarra', pack_model_id: 'pm', packs_count: 1 }],
    packs: ['01', '04'].map((name) => ({ id: `k${name}`, name, model_id: 'pm', archived: false, grounded: name === '01' })),
  };
  const ANSWER = {
    job: { id: 'j1', letter: 'S', aircraft_id: 'a1', aircraft_model_id: 'm1' },
    plan: {
      sorties: [
        { number: 1, set: '01' },
        { number: 2, set: '04' },
      ],
    },
    problem: null,
  };
  const answers = {
    'GET /api/jobs': page([{ id: 'j1', name: 'Top field', letter: 'S', kind: 'mapping' }]),
    'GET /api/jobs/*': ANSWER,
    'GET /api/fleet': FLEET,
    'GET /api/preflights': [],
  };

  it('begins one with the pack that the sortie was cut for', async () => {
    const seen = serve({ ...answers, 'POST /api/preflights': { id: 'new' } });
    render(PreflightList);
    const four = await screen.findByRole('button', { name: '04' });
    await waitFor(() => expect(four).toHaveAttribute('aria-pressed', 'true'));
    expect(screen.getByRole('button', { name: '01 ✕' })).toHaveAttribute('aria-pressed', 'false');
    expect(screen.getByText(/None yet/)).toBeInTheDocument();
    await fireEvent.click(screen.getByRole('button', { name: 'Begin the list' }));
    await waitFor(() => expect(goto).toHaveBeenCalledWith('/preflight/new'));
    expect(lastTo(seen, /preflights$/)!.body).toMatchObject({ job_id: 'j1', aircraft_id: 'a1', pack_ids: ['k04'], sortie: 2 });
  });

  it('takes another pack, says a refusal, and shows lists that were worked', async () => {
    const worked = {
      id: 'old',
      job: 'Top field',
      label: 'S1',
      aircraft: 'Wren',
      packs: ['01'],
      on: '2031-05-06',
      word: 'no',
      made_at: '',
    };
    serve({
      ...answers,
      'GET /api/preflights': [{ ...worked, state: 'overridden' }],
      'POST /api/preflights': new Refusal(422, 'pack_ids', 'Wren flies 1 of K6. Choose 1 of these.'),
    });
    render(PreflightList);
    await fireEvent.click(await screen.findByRole('button', { name: '01 ✕' }));
    expect(screen.getByRole('button', { name: '04' })).toHaveAttribute('aria-pressed', 'false');
    await fireEvent.click(screen.getByRole('button', { name: 'Begin the list' }));
    expect(await screen.findByText(/Choose 1 of these/)).toBeInTheDocument();
    expect(screen.getByRole('link', { name: /S1/ })).toHaveTextContent('overridden');
  });
});
