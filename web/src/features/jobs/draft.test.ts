import { beforeEach, describe, expect, it, vi } from 'vitest';
import { listeners } from '$shared/api/client';
import { JobDraft, figuresOf, type Job } from './state/draft.svelte';

const job: Job = {
  id: 'a',
  version: 3,
  archived: false,
  changed_at: '',
  name: 'Top field',
  letter: 'S',
  kind: 'mapping',
  place: '',
  areas: [],
  keep_outs: [],
  home: null,
  work: {},
  lines: { ends: 'cover', bearing_deg: null, in_order: false, raised: false },
  sorties: {
    landing_frac: 0.3,
    floor_frac: 0.2,
    reserve_method: 'rated',
    breaks: 'anywhere',
    overlap_m: 15,
    keep_spare_s: 30,
    clearance_m: 20,
    cut_for: 'each',
    load_kg: 0,
    home_fast: false,
  },
  wind: {
    speed_m_s: 4,
    from_deg: 240,
    height_m: 60,
    assumed: true,
    origin: 'assumed',
    words: '',
    cover: 'grass',
    air_c: 15,
  },
  site: { obstacles: [], fallbacks: [], homes: [], home_area: [], control: [], receiver: '', correction: 'none' },
  aircraft_model_id: null,
  aircraft_id: null,
  camera_id: null,
};
let answers: { status: number; body: unknown }[] = [];
let sent: { version: number; job: { name: string } }[] = [];

beforeEach(() => {
  vi.useFakeTimers();
  sent = [];
  vi.stubGlobal('fetch', async (request: Request) => {
    if (request.method === 'PUT') sent.push(await request.json());
    const { status, body } = answers.shift() ?? { status: 500, body: {} };
    return new Response(JSON.stringify(body), { status, headers: { 'Content-Type': 'application/json' } });
  });
});

function answer(part: Partial<Job>) {
  return { status: 200, body: { job: { ...job, ...part }, plan: null, problem: null, home_height_m: null } };
}

async function loaded(): Promise<JobDraft> {
  const draft = new JobDraft();
  answers = [answer({})];
  await draft.load('a');
  return draft;
}

describe('a job draft', () => {
  it('saves a change once after a pause, with the version it was based on', async () => {
    const draft = await loaded();
    answers = [answer({ name: 'B', version: 4 })];
    draft.change({ name: 'A' });
    draft.change({ name: 'B' });
    await vi.advanceTimersByTimeAsync(500);
    expect(sent).toHaveLength(1);
    expect(sent[0]).toMatchObject({ version: 3, job: { name: 'B' } });
    expect(draft.state).toBe('saved');
    expect(draft.job?.version).toBe(4);
  });

  it('undoes and redoes', async () => {
    const draft = await loaded();
    draft.change({ name: 'A' });
    draft.change({ name: 'B' });
    draft.undo();
    expect(draft.job?.name).toBe('A');
    draft.undo();
    expect(draft.job?.name).toBe('Top field');
    draft.redo();
    expect(draft.job?.name).toBe('A');
    draft.change({ name: 'C' });
    expect(draft.future).toHaveLength(0);
  });

  it('asks when somebody else has saved, and loses neither version', async () => {
    const draft = await loaded();
    answers = [
      {
        status: 409,
        body: { code: 'stale', detail: 'x', field: '', current: { ...job, name: 'Theirs', version: 9 } },
      },
    ];
    draft.change({ name: 'Mine' });
    await vi.advanceTimersByTimeAsync(500);
    expect(draft.theirs?.name).toBe('Theirs');
    expect(draft.job?.name).toBe('Mine');
    answers = [answer({ name: 'Mine', version: 10 })];
    draft.settle('mine');
    await vi.advanceTimersByTimeAsync(500);
    expect(sent.at(-1)).toMatchObject({ version: 9, job: { name: 'Mine' } });
  });

  it('keeps what was typed when a change is refused, and says so at the field', async () => {
    const draft = await loaded();
    answers = [{ status: 422, body: { code: 'invalid', detail: 'Too high.', field: 'work.height_m' } }];
    draft.change({ work: { height_m: 9999 } });
    await vi.advanceTimersByTimeAsync(500);
    expect(draft.problemAt('work.height_m')).toBe('Too high.');
    expect(draft.job?.work.height_m).toBe(9999);
    expect(figuresOf(draft.job!)).not.toHaveProperty('version');
  });

  it.each([500, 503, 401, 0])('keeps a change that failed with %i, and sends it again by itself', async (status) => {
    const draft = await loaded();
    answers = [{ status, body: { code: 'x', detail: 'No.', field: '' } }];
    if (status === 0) {
      const real = globalThis.fetch;
      vi.stubGlobal('fetch', async () => {
        vi.stubGlobal('fetch', real);
        answers.shift();
        throw new TypeError('no link');
      });
    }
    draft.change({ name: 'Typed in the van' });
    await vi.advanceTimersByTimeAsync(300);
    expect(draft.state).toBe('unsent');
    expect(draft.unsaved).toBe(true);
    expect(draft.job?.name).toBe('Typed in the van');
    answers = [answer({ name: 'Typed in the van', version: 4 })];
    if (status === 401) {
      await vi.advanceTimersByTimeAsync(120_000);
      expect(draft.state, 'without a session nothing is tried').toBe('unsent');
      for (const heard of [...listeners.signedIn]) heard();
    }
    await vi.advanceTimersByTimeAsync(6_000);
    expect(draft.state).toBe('saved');
    expect(sent.at(-1)).toMatchObject({ version: 3, job: { name: 'Typed in the van' } });
    expect(localStorage).toHaveLength(0);
  });

  it('takes up on the next visit what this device kept, and asks where somebody has saved since', async () => {
    const first = await loaded();
    answers = [{ status: 503, body: { code: 'x', detail: 'No.', field: '' } }];
    first.change({ name: 'Typed before the page was closed' });
    await vi.advanceTimersByTimeAsync(300);
    first.leave();
    const second = new JobDraft();
    answers = [answer({}), answer({ name: 'Typed before the page was closed', version: 4 })];
    await second.load('a');
    expect(second.job?.name).toBe('Typed before the page was closed');
    expect(second.found).not.toBe('');
    await vi.advanceTimersByTimeAsync(300);
    expect(second.state).toBe('saved');

    const third = await loaded();
    answers = [{ status: 503, body: {} }];
    third.change({ name: 'Mine' });
    await vi.advanceTimersByTimeAsync(300);
    third.leave();
    const fourth = new JobDraft();
    answers = [answer({ name: 'Theirs', version: 9 })];
    await fourth.load('a');
    expect([fourth.job?.name, fourth.theirs?.name]).toEqual(['Mine', 'Theirs']);
    fourth.settle('theirs');
    answers = [answer({ name: 'Theirs', version: 9 })];
    await vi.advanceTimersByTimeAsync(300);
    expect(fourth.job?.name).toBe('Theirs');
    expect(localStorage).toHaveLength(0);
  });
});
