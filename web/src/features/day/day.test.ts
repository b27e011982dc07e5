import { beforeEach, describe, expect, it, vi } from 'vitest';
import { figuresOf } from '$shared/days';
import { DayState, type Day } from './state/day.svelte';

const day: Day = {
  id: 'd',
  version: 2,
  archived: false,
  running: '',
  name: 'Field day',
  date: '2031-05-06',
  time_zone: 'UTC',
  opens: '08:00',
  opens_at: '',
  crews: [],
  closes: '17:00',
  pauses: [],
  swap_s: 200,
  rest_after_flight_s: 600,
  elevation_m: 0,
  bench_c: 18,
  rest_after_charge_s: 300,
  methods: { packs: 'full', rates: 'any', aim: 'finish' },
  pins: [],
  supply_id: null,
  more_supply_ids: [],
  charger_ids: [],
  crew_ids: [],
  jobs: [],
  packs: [],
};
let answers: { status: number; body: unknown }[] = [];
let asked: { method: string; path: string; body: { version: number; day: { name: string; swap_s: number } } | null }[] = [];

beforeEach(() => {
  vi.useFakeTimers();
  asked = [];
  vi.stubGlobal('fetch', async (request: Request) => {
    const body = request.method === 'PUT' ? await request.json() : null;
    asked.push({ method: request.method, path: new URL(request.url).pathname, body });
    const { status, body: told } = answers.shift() ?? { status: 500, body: {} };
    return new Response(JSON.stringify(told), { status, headers: { 'Content-Type': 'application/json' } });
  });
});

function answer(part: Partial<Day> = {}, plan: unknown = null, problem: unknown = null) {
  return { status: 200, body: { day: { ...day, ...part }, plan, problem, job_problems: [] } };
}

async function loaded(plan: unknown = null): Promise<DayState> {
  const state = new DayState();
  answers = [answer({}, plan)];
  await state.load('d');
  return state;
}

describe('a day on the screen', () => {
  it('sends quick changes as one, with the version it was based on', async () => {
    const state = await loaded();
    answers = [answer({ version: 3, swap_s: 100 }), answer({ version: 4, swap_s: 300 })];
    const first = state.change({ swap_s: 100 });
    void state.change({ swap_s: 250 });
    void state.change({ swap_s: 300 });
    await first;
    const sent = asked.filter((a) => a.method === 'PUT').map((a) => [a.body!.version, a.body!.day.swap_s]);
    expect(sent).toEqual([
      [2, 100],
      [3, 300],
    ]);
    expect(state.day?.version).toBe(4);
  });

  it('asks again while a better plan is searched for, and stops when it is found', async () => {
    const state = await loaded({ state: 'searching', progress: 0.2 });
    expect(state.searching).toBe(true);
    answers = [answer({}, { state: 'best', progress: 1 })];
    await vi.advanceTimersByTimeAsync(1000);
    expect(state.searching).toBe(false);
    await vi.advanceTimersByTimeAsync(5000);
    expect(asked).toHaveLength(2);
  });

  it('stops asking when the screen is left', async () => {
    const state = await loaded({ state: 'queued', progress: 0 });
    state.leave();
    await vi.advanceTimersByTimeAsync(5000);
    expect(asked).toHaveLength(1);
  });

  it('keeps what was entered when refused, and says so at the field', async () => {
    const state = await loaded();
    answers = [{ status: 422, body: { code: 'out_of_range', detail: 'Too long.', field: 'swap_s' } }];
    await state.change({ swap_s: 99999 });
    expect(state.problemAt('swap_s')).toBe('Too long.');
    expect(state.day?.swap_s).toBe(99999);
  });

  it('says at the field what stands in the way of a plan', async () => {
    const state = await loaded();
    answers = [answer({ version: 3 }, null, { code: 'infeasible', detail: 'Add a charger.', field: 'chargers' })];
    await state.change({ charger_ids: [] });
    expect(state.problemAt('chargers')).toBe('Add a charger.');
    expect(state.problemAt('supply')).toBe('');
  });

  it.each(['mine', 'theirs'] as const)('asks when somebody else has saved; %s stands', async (keep) => {
    const state = await loaded();
    answers = [{ status: 409, body: { code: 'stale', detail: 'x', field: '', current: { ...day, name: 'Theirs', version: 7 } } }];
    await state.change({ name: 'Mine' });
    expect(state.theirs?.name).toBe('Theirs');
    answers = [answer({ version: 8, name: keep === 'mine' ? 'Mine' : 'Theirs' })];
    state.settle(keep);
    await vi.advanceTimersByTimeAsync(10);
    expect(asked.at(-1)!.body).toMatchObject({ version: 7, day: { name: keep === 'mine' ? 'Mine' : 'Theirs' } });
    expect(state.theirs).toBeNull();
  });

  it('knows a day that is not there', async () => {
    const state = new DayState();
    answers = [{ status: 404, body: { code: 'not_found', detail: 'There is no such day.', field: '' } }];
    await state.load('x');
    expect(state.missing).toBe(true);
  });

  it('sends what people enter and nothing that the server adds', () => {
    for (const own of ['id', 'version', 'archived', 'running']) expect(Object.keys(figuresOf(day))).not.toContain(own);
    expect(figuresOf(day).name).toBe('Field day');
  });

  it('keeps a change that failed on the device, sends it again by itself, and takes it up on the next visit', async () => {
    const state = await loaded();
    answers = [{ status: 503, body: { code: 'x', detail: 'Down.', field: '' } }, answer({ version: 3, swap_s: 100 })];
    await state.change({ swap_s: 100 });
    expect([state.unsaved, state.day?.swap_s]).toEqual(['unsent', 100]);
    await vi.advanceTimersByTimeAsync(6_000);
    expect([state.unsaved, state.day?.version]).toEqual(['', 3]);
    expect(localStorage).toHaveLength(0);

    answers = [{ status: 500, body: {} }];
    await state.change({ swap_s: 50 });
    state.leave();
    const next = new DayState();
    answers = [answer({ version: 3, swap_s: 100 }), answer({ version: 4, swap_s: 50 })];
    await next.load('d');
    await vi.advanceTimersByTimeAsync(10);
    expect([next.day?.swap_s, next.day?.version, next.unsaved]).toEqual([50, 4, '']);
    expect(next.found).not.toBe('');
  });
});
