import { call } from '../api/call';
import { type Problem, type Schemas } from '../api/client';
import { isoNow, Outbox, ownerOf, unsent } from './outbox';

type Told = Schemas['EventsOut'];
type Person = Parameters<typeof ownerOf>[0];

/** Send what waits for a day, in order. What was taken or refused waits no longer; whatever else happens, nothing is dropped. */
export async function sendWaiting(
  day: string,
  outbox: Outbox,
): Promise<{ told: Told; problem: null } | { told: null; problem: Problem }> {
  const body = { device: navigator.userAgent.slice(0, 40), device_now: isoNow(), events: await outbox.waiting() };
  const { data, problem } = await call('POST', '/api/days/{day_id}/events', { params: { path: { day_id: day } }, body });
  if (!data) return { told: null, problem };
  await outbox.done([...data.taken, ...data.refused.map((r) => r.key)]);
  return { told: data, problem: null };
}

/** Send everything that a person has tapped on this device; returns how many taps still wait. */
export async function sendAll(me: Person): Promise<number> {
  for (const { day } of await unsent(me)) await sendWaiting(day, new Outbox(ownerOf(me, day)));
  return (await unsent(me)).reduce((n, d) => n + d.taps, 0);
}
