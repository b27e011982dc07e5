import 'fake-indexeddb/auto';
import { fireEvent, render, screen, waitFor } from '@testing-library/svelte';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { session } from '$shared/session.svelte';
import { lastTo, Refusal, serve, type Asked } from '../../test-server';
import { heard } from './state/heard.svelte';
import Landing from './components/Landing.svelte';
import LargePrint from './components/LargePrint.svelte';
import LiveScreen from './LiveScreen.svelte';
import { LiveState } from './state/live.svelte';
import { callOf as call, liveDay as live } from './live.test.data';
import { isoNow, Outbox, ownerOf, type Tap } from '$shared/device/outbox';
import { answerWords, callLine, callLines, countdown, insteadOf, moreOf, tapOf, type Live } from './words/words';

vi.mock('$app/navigation', () => ({ goto: vi.fn() }));
vi.mock('$app/state', () => ({ page: { url: new URL('http://x/days/d/live') } }));
let days = 0;
// What is kept on the device outlives a file of tests: its days have names of their own.
const fresh = () => `live-${++days}`;
beforeEach(() => {
  session.me = { id: 1, signed_in: true, units: 'metric', rights: ['day:run'], organisation: 'Crew' } as never;
});

const LAUNCH = call('launch', 1000, { flight: 'S1', set: '01' });
const LAND = call('land', 2200, { flight: 'S1', set: '01' });

/** A server that takes events, and can be cut off. */
function server(day: string, told: Live = live()) {
  const state = { cut: false, status: 0, live: told, taken: [] as string[] };
  const seen = serve({
    [`GET /api/days/${day}/live`]: () => ({ live: state.live }),
    [`POST /api/days/${day}/live`]: () => state.live,
    [`POST /api/days/${day}/close`]: { flown_s: 1, planned_s: 1, hindsight_s: null, waits: [], risky: [], sorties: 1 },
    [`POST /api/days/${day}/events`]: ({ body }: Asked) => {
      if (state.status) return new Refusal(state.status, '', 'no');
      const keys = (body as { events: Tap[] }).events.map((e) => e.key);
      state.taken.push(...keys);
      return { taken: keys, refused: [], clock_off_s: 0, live: state.live };
    },
  });
  const through = globalThis.fetch;
  vi.stubGlobal('fetch', (r: Request) => (state.cut ? Promise.reject(new TypeError('no link')) : through(r)));
  return { state, seen };
}

const tap = (key: string, kind = 'note'): Tap => ({ key, kind, at: isoNow(), under: 0, figures: {} });

const PUTS = { not_now_s: 600, gate_look_s: 1800 };

describe('the outbox', () => {
  it('keeps taps in order on the device, through a new page, until they are done', async () => {
    const owner = ownerOf({ id: 1, organisation: 'Crew' }, fresh());
    const box = new Outbox(owner);
    for (const k of ['c', 'a', 'b']) await box.add(tap(k));
    expect((await new Outbox(owner).waiting()).map((t) => t.key)).toEqual(['c', 'a', 'b']);
    await box.done(['a']);
    expect((await new Outbox(owner).waiting()).map((t) => t.key)).toEqual(['c', 'b']);
  });

  it("never shows one person's taps to another, or those of another day", async () => {
    const day = fresh();
    await new Outbox(ownerOf({ id: 1, organisation: 'Crew' }, day)).add(tap('x'));
    for (const other of [
      ownerOf({ id: 2, organisation: 'Crew' }, day),
      ownerOf({ id: 1, organisation: 'Else' }, day),
      ownerOf({ id: 1, organisation: 'Crew' }, 'other'),
    ])
      expect(await new Outbox(other).waiting()).toEqual([]);
  });

  it('says so when the device refuses to keep anything, and keeps it as long as the page lives', async () => {
    const box = new Outbox(fresh());
    const put = vi.spyOn(IDBObjectStore.prototype, 'put').mockImplementation(() => {
      throw new DOMException('full', 'QuotaExceededError');
    });
    await box.add(tap('z'));
    expect(box.refused).toBe(true);
    put.mockRestore();
    expect((await box.waiting()).map((t) => t.key)).toEqual(['z']);
  });
});

describe('a running day on the device', () => {
  it('loses and doubles nothing when the link is cut between taps', async () => {
    const id = fresh();
    const { state } = server(id);
    const run = new LiveState(id, id);
    await run.open();
    state.cut = true;
    await run.tap({ kind: 'note', figures: { words: 'one' } }, 'one');
    await run.tap({ kind: 'note', figures: { words: 'two' } }, 'two');
    expect(run.linked).toBe(false);
    expect(run.waiting).toHaveLength(2);
    run.close();
    const again = new LiveState(id, id);
    await again.open();
    expect(again.live?.name, 'a reload without a link still shows the day').toBe('Fell day');
    expect(again.keptAt).not.toBe('');
    expect(again.waiting).toHaveLength(2);
    state.cut = false;
    await waitFor(async () => {
      await again.send();
      expect(again.waiting).toEqual([]);
    });
    expect(new Set(state.taken).size).toBe(2);
    expect(again.linked).toBe(true);
    again.close();
  });

  it.each([401, 403, 500, 503])('drops nothing when the server answers %i', async (status) => {
    const id = fresh();
    const { state } = server(id);
    const run = new LiveState(id, id);
    await run.open();
    state.status = status;
    await run.tap({ kind: 'note', figures: { words: 'x' } }, 'x');
    expect(run.waiting).toHaveLength(1);
    state.status = 0;
    await run.send();
    expect(run.waiting).toEqual([]);
    run.close();
  });

  it('hides what was answered until the server says what came of it', async () => {
    const id = fresh();
    const { state } = server(id);
    const run = new LiveState(id, id);
    await run.open();
    state.cut = true;
    await run.tap({ kind: 'launched', figures: {} }, 'up', LAUNCH.id);
    expect(run.answered).toContain(LAUNCH.id);
    state.cut = false;
    await run.send();
    expect(run.answered, 'the server still calls it: it is called again').not.toContain(LAUNCH.id);
    await run.tap({ kind: 'note', figures: { words: 'fitted' } }, 'in', LAND.id);
    expect(run.answered).toContain(LAND.id);
    run.close();
  });

  it('calls again after a while what was only put off', async () => {
    const id = fresh();
    server(id);
    const run = new LiveState(id, id);
    await run.open();
    await run.tap({ kind: 'note', figures: { words: 'still flying' } }, 'still flying', LAND.id, 0.05);
    expect(run.answered).toContain(LAND.id);
    await waitFor(() => expect(run.answered).not.toContain(LAND.id));
    run.close();
  });

  it('takes back the last tap by an undo of its key', async () => {
    const id = fresh();
    const { seen } = server(id);
    const run = new LiveState(id, id);
    await run.open();
    await run.tap({ kind: 'power_out', figures: {} }, 'no power');
    const key = run.last!.key;
    await run.undo();
    const sent = (lastTo(seen, new RegExp(`${id}/events`))!.body as { events: Tap[] }).events[0]!;
    expect(sent).toMatchObject({ kind: 'undo', figures: { of: key } });
    expect(run.last).toBeNull();
    run.close();
  });

  it('begins a day that has not begun', async () => {
    const id = fresh();
    const { state } = server(id);
    state.live = null as never;
    const run = new LiveState(id, id);
    await run.open();
    expect(run.notStarted).toBe(true);
    state.live = live();
    await run.start();
    expect([run.notStarted, run.live?.name]).toEqual([false, 'Fell day']);
    run.close();
  });
});

describe('calls in words', () => {
  it('fill two lines, and their answers tell what happened', () => {
    expect(callLines(LAUNCH)).toEqual(['Launch S1', 'Wren on 01']);
    expect(callLine(call('off_port', 0, { pack: '02', port: 4 }))).toBe('Pack 02 off port 4');
    expect(answerWords(LAND)).toBe('It is down');
    expect(tapOf(LAUNCH)).toEqual({ kind: 'launched', figures: { flight: 'S1', set: '01', aircraft: 'a1' } });
    expect(tapOf(call('on_port', 0, { pack: '02', port: 1, mode: 'fast' }))!.figures).toEqual({
      pack: '02',
      port: 1,
      mode: 'fast',
    });
    expect(tapOf(LAND), 'a landing is read first').toBeNull();
    for (const kind of ['fit', 'warm', 'turn_back']) expect(tapOf(call(kind, 0))!.kind).toBe('note');
  });

  it('have three other things that may have happened', () => {
    expect(insteadOf(LAND, 0, PUTS).map((i) => i.tap?.kind ?? 'pad')).toEqual(['pad', 'landed', 'note']);
    expect(insteadOf(LAUNCH, 100, PUTS).map((i) => i.tap!.kind)).toEqual(['hold', 'pack_out', 'gate']);
    expect(insteadOf(LAUNCH, 100, PUTS)[0]!.tap!.figures.until_s).toBe(700);
    expect(insteadOf(call('off_port', 0, { pack: '02', port: 3 }), 0, PUTS).map((i) => i.words)).toEqual([
      'Not full',
      'Hot or swollen',
      'Port fault',
    ]);
  });

  it('are counted down', () => {
    expect([98, -125, 3600, 7265, 0].map(countdown)).toEqual(['1:38', '2:05', '1:00:00', '2:01:05', '0:00']);
  });
});

describe('a landing', () => {
  const draw = (early = false) => {
    const ontap = vi.fn();
    render(Landing, { flight: live().flights[0]!, early, expected: 0.37, gap: 0.03, ontap, oncancel: vi.fn() });
    return ontap;
  };

  it('is read by big keys over what is expected', async () => {
    const ontap = draw();
    const box = screen.getByRole('textbox', { name: /Charge left in 01/ });
    expect(box).toHaveValue('37');
    const keys = screen.getByRole('group', { name: 'Keys for Charge left in 01' });
    await fireEvent.click(Array.from(keys.querySelectorAll('button')).find((b) => b.textContent === '4')!);
    await fireEvent.click(Array.from(keys.querySelectorAll('button')).find((b) => b.textContent === '1')!);
    expect(box).toHaveValue('41');
    await fireEvent.click(screen.getByRole('button', { name: 'hard landing' }));
    await fireEvent.click(screen.getByRole('button', { name: 'It is down' }));
    expect(ontap).toHaveBeenCalledWith(
      { kind: 'landed', figures: { flight: 'S1', left_frac: 0.41, marks: ['hard landing'] } },
      'S1 is down',
    );
  });

  it('that came early says how much was done and where', async () => {
    const ontap = draw(true);
    await fireEvent.input(screen.getByRole('textbox', { name: /Route completed/ }), { target: { value: '60' } });
    await fireEvent.input(screen.getByLabelText(/Last waypoint/), { target: { value: 'line 4' } });
    await fireEvent.click(screen.getByRole('button', { name: 'It is down' }));
    expect(ontap.mock.calls[0]![0].figures).toMatchObject({ done_frac: 0.6, resume: 'line 4' });
  });

  it('keeps what was typed when it cannot be', async () => {
    const ontap = draw();
    await fireEvent.input(screen.getByRole('textbox', { name: /Lowest cell/ }), { target: { value: '37' } });
    await fireEvent.click(screen.getByRole('button', { name: 'It is down' }));
    expect(ontap).not.toHaveBeenCalled();
    expect(screen.getByText('The lowest cell lies between 2 and 4.5.')).toBeInTheDocument();
    expect(screen.getByRole('textbox', { name: /Lowest cell/ })).toHaveValue('37');
  });
});

/** A call that has just come takes no tap for a moment. */
const still = () => new Promise((r) => setTimeout(r, 450));

describe('the screen', () => {
  it('fills the view with one call; one tap tells it', async () => {
    const id = fresh();
    const { seen } = server(id);
    render(LiveScreen, { id });
    expect(await screen.findByRole('heading', { name: /Launch S1\s*Wren on 01/ })).toBeInTheDocument();
    await fireEvent.click(screen.getByTestId('answer'));
    expect(lastTo(seen, new RegExp(`${id}/events`)), 'a tap in the first moment is not taken').toBeUndefined();
    await still();
    await fireEvent.click(screen.getByTestId('answer'));
    await waitFor(() => expect(lastTo(seen, new RegExp(`${id}/events`))).toBeTruthy());
    expect((lastTo(seen, new RegExp(`${id}/events`))!.body as { events: Tap[] }).events[0]).toMatchObject({
      kind: 'launched',
      under: 1,
    });
    expect(screen.getByTestId('strip')).toHaveTextContent(/0 to send|kept here/);
    expect(screen.getByRole('img', { name: 'Pack 02: out, 50 %' })).toBeInTheDocument();
  });

  it('shows alerts, a moment to turn back and an open question before anything else', async () => {
    const id = fresh();
    const alert = {
      key: 'volts:S1',
      grade: 'now' as const,
      words: 'Land S1 now',
      reason: 'lowest cell at 3.2 V',
      limit: '3.30 V',
      owner: 'pilot' as const,
      about: 'S1',
      place: 'orchard, 140 m',
      left_s: 95,
    };
    const back = call('turn_back', 1400, { flight: 'S1' });
    const question = { about: 'landing S1', keys: ['a', 'b'], words: 'S1 was landed twice.' };
    const flights = [{ ...live().flights[0]!, word: 'airborne' as const }];
    const { seen } = server(id, live({ alerts: [alert], calls: [back, LAND], questions: [question], flights }));
    render(LiveScreen, { id });
    expect(await screen.findByTestId('alert')).toHaveTextContent(/Land S1 now.*limit 3.30 V, pilot/);
    expect(screen.getByTestId('back')).toHaveTextContent(/Turn back S1 by/);
    expect(screen.getByRole('heading', { name: /Land S1\s*01 to rest/ })).toBeInTheDocument();
    await fireEvent.click(screen.getByRole('button', { name: 'Second account' }));
    await waitFor(() => expect(lastTo(seen, new RegExp(`${id}/events`))).toBeTruthy());
    expect((lastTo(seen, new RegExp(`${id}/events`))!.body as { events: Tap[] }).events[0]!.figures).toEqual({
      of: 'landing S1',
      stands: 'b',
    });
  });

  it('opens the pad for a landing, and closes a day that is flown', async () => {
    const id = fresh();
    server(id, live({ calls: [LAND] }));
    const { unmount } = render(LiveScreen, { id });
    await screen.findByTestId('answer');
    await still();
    await fireEvent.click(await screen.findByTestId('answer'));
    expect(screen.getByTestId('landing')).toBeInTheDocument();
    await fireEvent.click(screen.getByRole('button', { name: 'Not yet' }));
    expect(screen.queryByTestId('landing')).toBeNull();
    unmount();
    const over = fresh();
    const { seen } = server(over, live({ calls: [call('close', 0)] }));
    render(LiveScreen, { id: over });
    await screen.findByRole('button', { name: /Close the day/ });
    await still();
    await fireEvent.click(await screen.findByRole('button', { name: /Close the day/ }));
    await waitFor(() => expect(lastTo(seen, /close$/)).toBeTruthy());
  });

  it('only shows the day to those who may not run it', async () => {
    session.me = { ...session.me, rights: [] } as never;
    const id = fresh();
    server(id);
    render(LiveScreen, { id });
    expect(await screen.findByTestId('answer')).toBeDisabled();
    expect(screen.queryByRole('button', { name: 'No power' })).toBeNull();
  });
});

describe('what stands between flights', () => {
  it('is called and answered like the rest, with a way to where more is done', () => {
    const told = live({ packs: [{ ...live().packs[0]!, id: 'p1' }] });
    const test = call('test', 0, { pack: '01', flight: 'S1' });
    expect(tapOf(test)).toEqual({ kind: 'tested', figures: { pack: '01', word: 'good' } });
    expect(insteadOf(test, 0, PUTS).map((i) => i.words)).toEqual(['It is weak', 'It failed', 'Not now']);
    expect(moreOf(test, told)).toEqual({ href: '/packs/p1/test', words: 'Type its cells' });
    const check = call('preflight', 0, { flight: 'S1' });
    expect(tapOf(check)).toEqual({ kind: 'checked', figures: { aircraft: 'a1' } });
    expect(moreOf(check, told)?.href).toBe('/preflight?job=j&sortie=1');
    expect(tapOf(call('refuel', 0, { set: 'Trailer' }))).toEqual({ kind: 'refuelled', figures: { supply: 'Trailer' } });
    expect(tapOf(call('gate', 0))).toEqual({ kind: 'gate', figures: { word: 'open' } });
    expect(insteadOf(call('gate', 0), 60, PUTS)[0]!.tap?.figures.until_s).toBe(1860);
    for (const kind of ['test', 'preflight', 'refuel', 'gate']) expect(answerWords(call(kind, 0))).not.toBe('Done');
  });

  it('counts what a landing brought against its plan, and says where it goes on', async () => {
    const flight = {
      ...live().flights[0]!,
      planned_work: 400,
      work_what: 'images',
      done_by_now: 0.62,
      resume_words: 'line 3 of 9, 40 m in',
    };
    const ontap = vi.fn();
    render(Landing, { flight, early: true, expected: null, gap: 0.03, ontap, oncancel: () => {} });
    expect(screen.getByTestId('resume').textContent).toContain('line 3 of 9');
    expect(screen.getByRole<HTMLInputElement>('textbox', { name: /Route completed/ }).value).toBe('62');
    expect(screen.getByText('of 248 planned')).toBeTruthy();
    await fireEvent.input(screen.getByLabelText('Images taken'), { target: { value: '200' } });
    expect(screen.getByRole('status').textContent).toContain('A gap');
    await fireEvent.input(screen.getByLabelText('Images taken'), { target: { value: '246' } });
    expect(screen.queryByRole('status')).toBeNull();
    expect(screen.getByRole<HTMLInputElement>('textbox', { name: /Last waypoint/ }).value).toBe('line 3 of 9, 40 m in');
    await fireEvent.click(screen.getByRole('button', { name: 'It is down' }));
    expect(ontap.mock.calls[0]![0].figures).toMatchObject({ work: 246, done_frac: 0.62, resume: 'line 3 of 9, 40 m in' });
  });

  it('is filled with what the aircraft told last, and sends no waypoint where the work is done', async () => {
    const flight = { ...live().flights[0]!, resume_words: 'line 9 of 9, 1 m in' };
    const heard = { left_frac: 0.412, lowest_v: 3.684, pack_c: 33.6 };
    const ontap = vi.fn();
    render(Landing, { flight, early: false, expected: 0.37, gap: 0.03, heard, ontap, oncancel: () => {} });
    await fireEvent.click(screen.getByRole('button', { name: 'It is down' }));
    expect(ontap.mock.calls[0]![0].figures).toEqual({ flight: 'S1', left_frac: 0.41, lowest_v: 3.68, pack_c: 34 });
  });
});

describe('a clock that runs faster', () => {
  it('counts on at its own speed, and stands when it stands', async () => {
    const id = fresh();
    serve({ 'GET /api/days/*/live': { live: live({ now_s: 500, speed: 120, rehearsal_of: 'd0' }) } });
    const run = new LiveState(id, id);
    await run.open();
    await waitFor(() => expect(run.nowS).toBeGreaterThan(530));
    run.close();
    serve({ 'GET /api/days/*/live': { live: live({ now_s: 500, speed: 0, rehearsal_of: 'd0' }) } });
    const still = new LiveState(id, id);
    await still.open();
    await new Promise((r) => setTimeout(r, 400));
    expect(still.nowS).toBe(500);
    still.close();
  });
});

describe('sound and vibration', () => {
  it('come once for each thing, by choice of the device alone', () => {
    const shake = vi.fn();
    Object.defineProperty(navigator, 'vibrate', { value: shake, configurable: true });
    const now = live({
      alerts: [{ key: 'volts:S1', grade: 'now', words: 'Land', reason: '', limit: '', owner: 'pilot', about: '', place: '' }],
    });
    heard.follow(now, '');
    expect(shake).not.toHaveBeenCalled();
    heard.choose({ shake: true });
    expect(shake).toHaveBeenCalledTimes(1);
    heard.follow(live(), '');
    heard.follow(now, 'launch:S1');
    heard.follow(now, 'launch:S1');
    expect(shake).toHaveBeenCalledTimes(3);
    heard.follow(live(), '');
    heard.follow(now, '');
    expect(shake, 'what went and came again is said again').toHaveBeenCalledTimes(4);
    expect(JSON.parse(localStorage.getItem('gentle-quarry-heard')!)).toEqual({ sound: false, shake: true });
    heard.choose({ shake: false });
  });
});

describe('large print', () => {
  it('has the clock, what cannot wait, and three calls', () => {
    const told = live({
      calls: [LAUNCH, LAND, call('on_port', 3000, { pack: '02', port: 1 }), call('off_port', 4000, { pack: '02', port: 1 })],
      alerts: [{ key: 'a', grade: 'now', words: 'Where is S9?', reason: '', limit: '', owner: 'pilot', about: '', place: '' }],
    });
    const run = new LiveState('d', 'd');
    render(LargePrint, { run, live: told });
    const text = screen.getByTestId('large').textContent!;
    expect(text).toContain('Launch S1');
    expect(text).toContain('Where is S9?');
    expect(text).toContain('Pack 02 on port 1');
    expect(text).not.toContain('off port');
  });
});
