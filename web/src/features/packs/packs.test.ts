import { fireEvent, render, screen, waitFor, within } from '@testing-library/svelte';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { session } from '$shared/session.svelte';
import { notices } from '$shared/ui/notices.svelte';
import { lastTo, Refusal, serve } from '../../test-server';
import CareList from './components/CareList.svelte';
import LastTest from './components/LastTest.svelte';
import LifeCore from './components/LifeCore.svelte';
import LoadTest from './LoadTest.svelte';
import RecordForm from './components/RecordForm.svelte';
import { wordsOf } from './words/records';
import { limitsOf } from './words/verdict';
import RestVolts from './RestVolts.svelte';
import { shelf, type Line } from './state/shelf.svelte';
import Tables from './components/Tables.svelte';
import Trend from './components/Trend.svelte';

vi.mock('$app/navigation', () => ({ goto: vi.fn() }));

const RIGHTS = ['packs:record', 'packs:write', 'packs:retire'];
const WORKING = { title: 'w', value: 1, unit: '', note: '', steps: [] };
const line = (name: string, more: Partial<Line> = {}): Line => ({
  id: name,
  version: 1,
  archived: false,
  name,
  model: 'K3',
  model_id: 'm',
  mates: '',
  level: 'in service',
  words: '',
  may_override: true,
  charge_frac: 0.6,
  health_frac: 1,
  health_measured: true,
  cycles: 10,
  flights: 1,
  tasks: [],
  ...more,
});
const PAGE = {
  line: line('07'),
  model: { name: 'K3', cells: 3 },
  chemistry: 'LiPo',
  test_levels: { good: 3.9, bad: 3.6, full: 4.2 },
};
const as = (rights: string[]) => (session.me = { signed_in: true, units: 'metric', rights } as never);
const field = (label: string | RegExp) => screen.getByLabelText(label) as HTMLInputElement;
async function type(label: string | RegExp, text: string) {
  await fireEvent.input(field(label), { target: { value: text } });
  await fireEvent.blur(field(label));
}

beforeEach(() => as(RIGHTS));
afterEach(() => {
  notices.list = [];
  shelf.shelf = null;
});

describe('a record', () => {
  const open = (props: Record<string, unknown> = {}) => {
    const done = vi.fn();
    render(RecordForm, { id: 'p', cells: 3, kind: 'flight', lead: true, done, leave: vi.fn(), ...props } as never);
    return done;
  };
  const keep = () => fireEvent.click(screen.getByRole('button', { name: /^(Record|Replace record|Ground pack)$/ }));

  it('is sent in the units of the server, with a key and a time', async () => {
    const seen = serve({ 'POST /api/packs/*/records': { page: {}, record: { key: 'k' } } });
    const done = open();
    await type('Flown', '15');
    await type(/Charge at landing/, '31');
    await keep();
    await waitFor(() => expect(done).toHaveBeenCalled());
    const body = lastTo(seen, /records$/)!.body as { figures: Record<string, number>; key: string; at: string };
    expect(body.figures).toEqual({ flown_s: 900, to_frac: 0.31 });
    expect(body.key).toMatch(/^[0-9a-f-]{36}$/);
    expect(Number.isNaN(+new Date(body.at))).toBe(false);
  });

  it('keeps its key when it is sent again, so that a bad link writes once', async () => {
    let tries = 0;
    const seen = serve({
      'POST /api/packs/*/records': () => (++tries < 2 ? new Refusal(500, '', 'Try again.') : { page: {}, record: {} }),
    });
    const done = open();
    await type('Flown', '9');
    await keep();
    await screen.findByText('Try again.');
    expect(field('Flown').value).toBe('9');
    await keep();
    await waitFor(() => expect(done).toHaveBeenCalled());
    const keys = seen.map((a) => (a.body as { key: string }).key);
    expect(keys[0]).toBe(keys[1]);
  });

  it('reads milliohms cell by cell and says at the field what is no number', async () => {
    const seen = serve({ 'POST /api/packs/*/records': { page: {}, record: {} } });
    const done = open({ kind: 'resistance' });
    await type(/Resistance of 3 cells/, '2.1 x 2.0');
    await keep();
    expect(await screen.findByText('Type numbers only, a space between cells.')).toBeInTheDocument();
    expect(seen).toHaveLength(0);
    await type(/Resistance of 3 cells/, '2.1 2,2 2.0');
    await type('Pack temperature', '18');
    await keep();
    await waitFor(() => expect(done).toHaveBeenCalled());
    const figures = (seen[0]!.body as { figures: { cell_ohm: number[]; pack_c: number } }).figures;
    expect(figures.cell_ohm.map((r) => Math.round(r * 1e5))).toEqual([210, 220, 200]);
    expect(figures.pack_c).toBe(18);
  });

  it('shows a refusal at the figure that caused it, also for one of many cells', async () => {
    serve({ 'POST /api/packs/*/records': new Refusal(422, 'cell_v.2', 'Cell 3 at 9.90 V cannot be.') });
    open({ kind: 'load test' });
    await type(/Lowest volts of 3 cells/, '3.9 3.9 9.9');
    await keep();
    expect(await screen.findByText('Cell 3 at 9.90 V cannot be.')).toBeInTheDocument();
    expect(field(/Lowest volts/)).toHaveAttribute('aria-invalid', 'true');
  });

  it('starts a correction with what was written and names what it corrects', async () => {
    const seen = serve({ 'POST /api/packs/*/records': { page: {}, record: {} } });
    const wrong = {
      key: 'old',
      kind: 'charge',
      at: '2026-03-01T10:00:00Z',
      figures: { from_frac: 0.3, to_frac: 1, put_back_ah: 1.5 },
      note: 'bench',
    };
    const done = open({ kind: 'charge', wrong });
    expect(field(/Put back/).value).toBe('1500');
    await type(/Put back/, '1569');
    await keep();
    await waitFor(() => expect(done).toHaveBeenCalled());
    expect(seen[0]!.body).toMatchObject({ kind: 'charge', corrects: 'old', note: 'bench', figures: { put_back_ah: 1.569 } });
  });

  it('offers to release a pack to a lead alone', () => {
    open({ kind: 'grounding', lead: false });
    const kinds = within(field('What')).getAllByRole('option');
    expect(kinds.map((o) => o.textContent)).not.toContain('release it');
  });
});

describe('a load test', () => {
  const verdict = (name: string) => ({
    verdict: name,
    words: `so it is ${name}`,
    weakest_cell: 2,
    weakest_v: 3.71,
    working: WORKING,
  });
  const answers = {
    'GET /api/packs/*': PAGE,
    'POST /api/packs/*/try': verdict('replace soon'),
    'POST /api/packs/*/records': {
      record: { key: 'r' },
      verdict: verdict('replace soon'),
      page: { line: line('07', { level: 'replace soon' }) },
    },
  };
  const keys = async (text: string) => {
    for (const k of text) await fireEvent.keyDown(document.body, { key: k });
  };

  it('takes digits cell after cell, judges at once and keeps on one tap', async () => {
    const seen = serve(answers);
    render(LoadTest, { id: 'p' });
    await screen.findByText('Record');
    await keys('396371');
    expect(screen.getByText('Record').closest('button')).toBeDisabled();
    await keys('397');
    await screen.findByText(/so it is replace soon/);
    await fireEvent.click(screen.getByRole('button', { name: 'charge at the start more' }));
    await fireEvent.click(screen.getByRole('button', { name: 'pack temperature less' }));
    await waitFor(() =>
      expect(lastTo(seen, /try$/)!.body).toMatchObject({ figures: { cell_v: [3.96, 3.71, 3.97], start_frac: 0.98, pack_c: 22 } }),
    );
    await fireEvent.click(screen.getByText('Record'));
    await screen.findByTestId('kept');
    expect(lastTo(seen, /records$/)!.body).toMatchObject({ kind: 'load test', figures: { cell_v: [3.96, 3.71, 3.97] } });
    expect(screen.getByTestId('kept')).toHaveTextContent('replace soon');
  });

  it('takes nothing for granted: charge and temperature are not noted until someone taps', async () => {
    const seen = serve(answers);
    render(LoadTest, { id: 'p' });
    await screen.findByText('Record');
    expect(screen.getAllByText('not noted')).toHaveLength(2);
    await keys('396371397');
    await waitFor(() => expect(lastTo(seen, /try$/)!.body).toMatchObject({ figures: { start_frac: null, pack_c: null } }));
  });

  it('goes back a digit and a cell, and to any cell by a tap', async () => {
    serve(answers);
    render(LoadTest, { id: 'p' });
    await screen.findByText('Record');
    await keys('396');
    await fireEvent.keyDown(document.body, { key: 'Backspace' });
    expect(screen.getByRole('button', { name: 'Cell 1: empty' })).toHaveAttribute('aria-pressed', 'true');
    await fireEvent.click(screen.getByRole('button', { name: 'Cell 3: empty' }));
    await keys('41');
    expect(screen.getByRole('button', { name: 'Cell 3: 4.1' })).toBeInTheDocument();
  });

  it('takes a total, and an aircraft that shows no volts', async () => {
    const seen = serve(answers);
    render(LoadTest, { id: 'p' });
    await screen.findByText('Record');
    await fireEvent.click(screen.getByText('a total only'));
    await keys('11.4');
    await waitFor(() => expect(lastTo(seen, /try$/)!.body).toMatchObject({ figures: { total_v: 11.4 } }));
    await fireEvent.click(screen.getByText('no volts'));
    await waitFor(() => expect((lastTo(seen, /try$/)!.body as { figures: object }).figures).not.toHaveProperty('total_v'));
  });

  it('says at once what cannot be and keeps what was typed', async () => {
    serve({ ...answers, 'POST /api/packs/*/try': new Refusal(422, 'cell_v.0', 'Cell 1 at 9.96 V cannot be.') });
    render(LoadTest, { id: 'p' });
    await screen.findByText('Record');
    await keys('996371397');
    expect(await screen.findByText('Cell 1 at 9.96 V cannot be.')).toBeInTheDocument();
    expect(screen.getByText('Record').closest('button')).toBeDisabled();
    expect(screen.getByRole('button', { name: 'Cell 1: 9.96' })).toBeInTheDocument();
  });

  it('is not offered for a grounded pack, and says who may change that', async () => {
    for (const [may, words] of [
      [true, /A lead may release it/],
      [false, /It goes to recycling/],
    ] as const) {
      serve({
        ...answers,
        'GET /api/packs/*': { ...PAGE, line: line('07', { level: 'grounded', words: 'It is swollen.', may_override: may }) },
      });
      const { unmount } = render(LoadTest, { id: 'p' });
      expect(await screen.findByText(/not even for a test/)).toHaveTextContent('It is swollen.');
      expect(screen.getByText(words)).toBeInTheDocument();
      expect(screen.queryByText('Record')).toBeNull();
      unmount();
    }
  });

  it('cannot be kept by a viewer', async () => {
    as([]);
    serve(answers);
    render(LoadTest, { id: 'p' });
    expect(await screen.findByText(/Your role cannot record/)).toBeInTheDocument();
  });
});

describe('the care list', () => {
  const task = (kind: string, late: number, by_itself = false) => ({
    kind,
    due: '2026-11-01',
    words: `because of ${kind}`,
    by_itself,
    late,
  });
  const packs = [
    line('1', { tasks: [task('balance', 0), task('bring to storage', 4)] as never }),
    line('2', { tasks: [task('recycle', 0)] as never }),
    line('3', { tasks: [task('bring to storage', 9, true)] as never }),
  ];
  const SHELF = { packs, sets: [], charging: [], test_each_take_off: true };

  it('puts what may hurt first and what packs do themselves last', () => {
    shelf.shelf = SHELF as never;
    render(CareList);
    expect(screen.getAllByRole('listitem').map((li) => within(li).getByRole('link').textContent)).toEqual(['2', '1', '1', '3']);
    expect(screen.getByText('· 4 days late')).toBeInTheDocument();
    expect(screen.getByText(/by itself/)).toBeInTheDocument();
  });

  it('ticks off with one tap and takes it back with another', async () => {
    const seen = serve({ 'POST /api/packs/*/records': { record: { key: 'r1' }, page: {} }, 'GET /api/packs': SHELF });
    shelf.shelf = SHELF as never;
    render(CareList);
    await fireEvent.click(screen.getByRole('button', { name: 'Done: recycle of 2' }));
    await waitFor(() => expect(notices.list).toHaveLength(1));
    expect(seen[0]).toMatchObject({ path: '/api/packs/2/records', body: { kind: 'care', figures: { task: 'recycle' } } });
    notices.list[0]!.undo!();
    await waitFor(() => expect(lastTo(seen, /records$/)!.body).toMatchObject({ kind: 'withdrawal', corrects: 'r1' }));
  });

  it('says so when nothing is due, and lets a viewer only look', () => {
    shelf.shelf = { ...SHELF, packs: [line('1')] } as never;
    const { unmount } = render(CareList);
    expect(screen.getByText(/Nothing is due/)).toBeInTheDocument();
    unmount();
    as([]);
    shelf.shelf = SHELF as never;
    render(CareList);
    for (const b of screen.getAllByRole('button')) expect(b).toBeDisabled();
  });
});

describe('rest volts of the shelf', () => {
  it('name the row that the server refuses and keep what was typed', async () => {
    const packs = [line('1'), line('2')];
    serve({
      'GET /api/packs': { packs, sets: [], charging: [], test_each_take_off: true },
      'GET /api/fleet': { pack_models: [{ id: 'm', cells: 3 }] },
      'POST /api/packs/rest-volts': new Refusal(422, 'rows.1', 'no', {
        problems: [{ row: 1, field: 'cell_v', detail: 'Cell 2 cannot be.' }],
      }),
    });
    render(RestVolts);
    await screen.findByLabelText('Resting voltage of 1');
    await fireEvent.input(field('Resting voltage of 1'), { target: { value: '385 385 384' } });
    await fireEvent.input(field('Resting voltage of 2'), { target: { value: '385 4.9 384' } });
    expect(screen.getByText('10 mV apart')).toBeInTheDocument();
    await fireEvent.click(screen.getByText('Keep 2 rows'));
    expect(await screen.findByText('Cell 2 cannot be.')).toBeInTheDocument();
    expect(field('Resting voltage of 2').value).toBe('385 4.9 384');
  });
});

describe('a table', () => {
  const file = new File(['name,model\n'], 'old.csv', { type: 'text/csv' });
  const importing = (state: string, more = {}) => ({
    id: 'i',
    name: 'old.csv',
    state,
    what: 'packs',
    rows: 9000,
    done: 4000,
    problems: [],
    words: '',
    ...more,
  });

  it('shows how far it is, can be stopped, and says what was read', async () => {
    const states = [importing('checking'), importing('done', { words: '9 packs added' })];
    serve({ 'POST /api/packs/tables': importing('waiting'), 'GET /api/packs/tables/imports/*': () => states.shift() });
    const done = vi.fn();
    render(Tables, { open: true, done });
    await fireEvent.change(screen.getByLabelText(/Choose a CSV file/), { target: { files: [file] } });
    expect(await screen.findByRole('button', { name: 'Stop' })).toBeInTheDocument();
    await waitFor(() => expect(screen.getByTestId('importing')).toHaveTextContent('9 packs added'));
    expect(done).toHaveBeenCalledOnce();
  });

  it('names every wrong cell by line and column', async () => {
    const problems = [{ row: 7, column: 'cycles', detail: "'x' is not a number." }];
    serve({ 'POST /api/packs/tables': importing('refused', { words: '1 cell is wrong. Nothing was imported.', problems }) });
    render(Tables, { open: true, done: vi.fn() });
    await fireEvent.change(screen.getByLabelText(/Choose a CSV file/), { target: { files: [file] } });
    const row = (await screen.findByText('cycles')).closest('tr')!;
    expect(row).toHaveTextContent("7cycles'x' is not a number.");
  });
});

describe('pictures of a pack', () => {
  it('ask for what is missing instead of drawing a line through one point', () => {
    render(Trend, {
      label: 't',
      series: [{ name: 'a', points: [[1, 2]] }],
      unit: '%',
      limit: null,
      empty: 'Two readings first.',
    });
    expect(screen.getByText('Two readings first.')).toBeInTheDocument();
  });

  it('draw limit, strong line and forecast, and say the forecast in words', () => {
    const ahead = {
      from: [9, 90],
      middle: [
        [9, 90],
        [40, 80],
      ],
      low: [
        [9, 90],
        [40, 84],
      ],
      high: [
        [9, 90],
        [40, 76],
      ],
      words: 'about 31 cycles',
    } as never;
    const { container } = render(Trend, {
      label: 'Capacity',
      series: [
        {
          name: 'capacity',
          points: [
            [0, 100],
            [9, 90],
          ],
          strong: true,
        },
      ],
      unit: '%',
      limit: { value: 80, words: 'limit 80 %', below: true },
      watch: 85,
      ahead,
      empty: '',
    });
    expect(screen.getByRole('img', { name: 'Capacity' })).toBeInTheDocument();
    expect(screen.getByText('limit 80 %')).toBeInTheDocument();
    expect(screen.getByText('about 31 cycles')).toBeInTheDocument();
    expect(container.querySelector('[fill="url(#p-home)"]')).not.toBeNull();
  });

  it('name every cell of a test for those who do not see the bars', () => {
    const test = { key: 'k', at: '2026-01-01', cell_v: [3.95, 3.4], verdict: 'bad', weakest_cell: 2, weakest_v: 3.4, words: '' };
    render(LastTest, { test, levels: { good: 3.9, bad: 3.6, full: 4.2 } });
    expect(screen.getByRole('img', { name: 'Lowest volts: cell 1 3.95, cell 2 3.40' })).toBeInTheDocument();
  });

  it('tell a life with the gravest notes, never two on one place', () => {
    const life = {
      beds: [
        { begins: '2026-01-01', ends: '2026-05-01', state: 'flown', flights: 40 },
        { begins: '2026-05-01', ends: '2026-09-01', state: 'left full', flights: 0 },
      ],
      marks: [
        { at: '2026-05-01', words: 'swelling', grave: true },
        { at: '2026-05-02', words: 'capacity measured', grave: false },
      ],
    } as never;
    render(LifeCore, { life });
    const name = screen.getByRole('img').getAttribute('aria-label')!;
    expect(name).toContain('swelling');
    expect(name).not.toContain('capacity measured');
    expect(name).toContain('40 flights');
  });
});

describe('a line of the history', () => {
  const record = (kind: string, figures: object, note = '') =>
    ({ kind, figures, note, at: '', key: '', who: '', stands: true }) as never;
  it.each([
    ['flight', { flown_s: 905, from_frac: 1, to_frac: 0.31, aircraft: 'Wren' }, '15:05 min · 100 % to 31 % · Wren'],
    [
      'charge',
      { from_frac: 0.3, to_frac: 1, put_back_ah: 1.569, charged_s: 2400, port: 'Van 2' },
      '30 % to 100 % · 1569 mAh · 40 min · Van 2',
    ],
    ['load test', { cell_v: [3.9, 3.71], start_frac: 0.98, pack_c: 21 }, '3.90 3.71 · from 98 % · 21 °C'],
    ['rest volts', { total_v: 22.84 }, '22.84 V in all'],
    ['resistance', { cell_ohm: [0.0021, 0.0034], pack_c: 18 }, '2.10 3.40 mΩ · 18 °C'],
    ['capacity', { capacity_ah: 1.66 }, '1660 mAh'],
    ['storage', { charge_frac: 0.6, air_c: 16, humidity_frac: 0.5 }, 'at 60 % · air 16.0 °C · humidity 50 %'],
    ['alarm levels', { first_v: 11.1, second_v: 10.9 }, '11.1 V and 10.9 V, not proven'],
    ['mishap', { what: 'water', words: 'ditch' }, 'water · ditch'],
    ['care', { task: 'balance' }, 'balance'],
  ])('%s', (kind, figures, want) => {
    expect(wordsOf(record(kind, figures), 'metric')).toBe(want);
  });

  it('carries the note and the units of the person', () => {
    expect(wordsOf(record('storage', { air_c: 20 }, 'in the van'), 'imperial')).toBe('air 68.0 °F · in the van');
  });
});

describe('a verdict', () => {
  const rule = (unit: string, ...limits: [string, number, boolean?][]) =>
    ({ unit, says: 'none', limits: limits.map(([kind, value, falling = false]) => ({ kind, value, falling })) }) as never;

  it('gives each limit as a figure in the unit of its rule', () => {
    expect(limitsOf(rule('share', ['watch', 0.57, true], ['replace', 0.45, true]))).toBe('watch ≤ 57 %, replace ≤ 45 %');
    expect(limitsOf(rule('V', ['watch', 0.07]))).toBe('watch ≥ 70 mV');
    expect(limitsOf(rule('V', ['good', 3.9], ['bad', 3.6, true]))).toBe('good > 3.90 V, bad ≤ 3.60 V');
    expect(limitsOf(rule('times', ['watch', 1.4]))).toBe('watch ≥ 1.40 ×');
    expect(limitsOf(rule('days', ['watch', 1095]))).toBe('watch ≥ 36 months');
    expect(limitsOf(rule('days', ['watch', 21]))).toBe('watch ≥ 21 days');
    expect(limitsOf(rule('', ['watch', 200], ['replace', 300]))).toBe('watch ≥ 200, replace ≥ 300');
  });

  it('says in words what no number limits', () => {
    expect(limitsOf(rule(''))).toBe('none');
  });
});
