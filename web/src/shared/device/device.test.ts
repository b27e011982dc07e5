import 'fake-indexeddb/auto';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { serve } from '../../test-server';
import { session } from '../session.svelte';
import { forgetDays, isoNow, keepDaysOf, Outbox, ownerOf, unsent, type Tap } from './outbox';
import { sendAll, sendWaiting } from './send';

const ME = { id: 1, signed_in: true, organisation: 'Crew', units: 'metric', rights: [], light: 'day', gloves: false };
const tap = (key: string): Tap => ({ key, kind: 'note', at: isoNow(), under: 0, figures: {} });
const box = (day: string, id = 1) => new Outbox(ownerOf({ ...ME, id }, day));

/** A server of which the link may be cut, before it hears or before it is heard. */
function server() {
  const state = { taken: [] as string[], cut: false, deaf: false, posts: 0 };
  serve({
    'POST /api/days/*/events': ({ body }: { body: unknown }) => {
      state.posts++;
      const keys = (body as { events: Tap[] }).events.map((e) => e.key);
      state.taken.push(...keys.filter((k) => !state.taken.includes(k)));
      return { taken: keys, refused: [], clock_off_s: 0, live: {} };
    },
    'GET /api/me': () => ME,
    'DELETE /api/session': () => ({ signed_in: false }),
  });
  const through = globalThis.fetch;
  vi.stubGlobal('fetch', async (r: Request) => {
    if (state.cut) throw new TypeError('no link');
    const answer = await through(r);
    if (state.deaf) throw new TypeError('the answer was lost');
    return answer;
  });
  return state;
}

beforeEach(async () => {
  localStorage.clear();
  session.me = ME as never;
  for (const { day } of await unsent(ME)) await box(day).done((await box(day).waiting()).map((t) => t.key));
});

describe('what is kept on the device', () => {
  it('arrives once and in order, whatever the link does in between', async () => {
    for (let seed = 1; seed <= 25; seed++) {
      const state = server();
      let r = seed * 7919;
      const draw = (n: number) => (r = (r * 1103515245 + 12345) % 2147483648) % n;
      const told: string[] = [];
      let out = box(`d${seed}`);
      for (let step = 0; step < 12; step++) {
        const key = `${seed}-${step}`;
        [state.cut, state.deaf] = [draw(3) === 0, draw(3) === 0];
        await out.add(tap(key));
        told.push(key);
        if (draw(2)) await sendWaiting(`d${seed}`, out);
        if (draw(4) === 0) out = box(`d${seed}`);
      }
      [state.cut, state.deaf] = [false, false];
      await sendWaiting(`d${seed}`, box(`d${seed}`));
      expect(state.taken, `seed ${seed}`).toEqual(told);
      expect(await box(`d${seed}`).waiting()).toEqual([]);
    }
  });

  it("counts and sends one person's taps alone", async () => {
    const state = server();
    await box('a').add(tap('a1'));
    await box('b').add(tap('b1'));
    await box('b').add(tap('b2'));
    await box('b', 2).add(tap('other'));
    expect((await unsent(ME)).sort((x, y) => x.day.localeCompare(y.day))).toEqual([
      { day: 'a', taps: 1 },
      { day: 'b', taps: 2 },
    ]);
    state.cut = true;
    expect(await sendAll(ME)).toBe(3);
    state.cut = false;
    expect(await sendAll(ME)).toBe(0);
    expect(state.taken.sort()).toEqual(['a1', 'b1', 'b2']);
    expect((await box('b', 2).waiting()).map((t) => t.key)).toEqual(['other']);
  });

  it('forgets the days of one person and keeps their taps', async () => {
    await box('a').keep({ name: 'Fell' });
    await box('a', 2).keep({ name: 'Fell' });
    await box('a').add(tap('kept'));
    await forgetDays(ME);
    expect(await box('a').kept()).toBeUndefined();
    expect(await box('a', 2).kept()).toBeDefined();
    expect(await box('a').waiting()).toHaveLength(1);
    await box('a').keep({ name: 'an answer that was under way' });
    expect(await box('a').kept()).toBeUndefined();
    keepDaysOf(ME);
    await box('a').keep({ name: 'Fell' });
    expect(await box('a').kept()).toBeDefined();
  });
});

describe('the person on the device', () => {
  it('is known without a link once there was one, and forgotten at sign-out', async () => {
    const state = server();
    await session.load();
    session.me = null;
    state.cut = true;
    await session.load();
    expect(session.me).toMatchObject({ id: 1, organisation: 'Crew' });
    expect((await session.signOut()).problem?.status).toBe(0);
    state.cut = false;
    expect(await session.signOut()).toEqual({ waiting: 0, problem: null });
    expect(localStorage.length).toBe(1); // the server of this test still says who it is
    localStorage.clear();
    session.me = null;
    state.cut = true;
    await session.load();
    expect([session.me, session.unreached]).toEqual([null, true]);
  });

  it('is not signed out while taps wait, unless told to; then they stay', async () => {
    const state = server();
    await box('a').add(tap('a1'));
    state.cut = true;
    expect(await session.signOut()).toEqual({ waiting: 1, problem: null });
    state.cut = false;
    expect(await session.signOut(true)).toEqual({ waiting: 0, problem: null });
    expect((await box('a').waiting()).map((t) => t.key)).toEqual(['a1']);
    expect(state.posts).toBe(0);
  });
});
