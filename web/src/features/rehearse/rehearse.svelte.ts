import { call } from '$shared/api/call';
import { type Problem, type Schemas } from '$shared/api/client';
import { notices } from '$shared/ui/notices.svelte';

export type Rehearsal = Schemas['RehearsalOut'];
export type Line = Schemas['RehearsalLine'];
export type Wanted = Schemas['RehearsalIn'];
export const SPEEDS = [1, 5, 10, 30, 60, 120] as const;

/** A rehearsal on the screen, or the day that is to be rehearsed. */
export class RehearseState {
  /** The rehearsal, where the address is that of one. */
  mine = $state.raw<Rehearsal | null>(null);
  /** The day, where the address is that of a day. */
  day = $state.raw<Schemas['DayAnswer'] | null>(null);
  lines = $state.raw<Line[] | null>(null);
  problem = $state.raw<Problem | null>(null);
  busy = $state(false);

  constructor(readonly id: string) {}

  get #path() {
    return { params: { path: { day_id: this.id } } };
  }

  async load() {
    await this.refresh();
    if (this.mine) return;
    const told = await call('GET', '/api/days/{day_id}', this.#path);
    this.day = told.data;
    this.problem = told.problem;
    await this.list();
  }

  async list() {
    const { data, problem } = await call('GET', '/api/days/{day_id}/rehearsals', this.#path);
    this.problem = problem ?? this.problem;
    this.lines = data ?? this.lines;
  }

  /** Look again: a fault may have struck, or the day may be over. */
  async refresh() {
    const { data } = await call('GET', '/api/days/{day_id}/rehearsal', this.#path);
    if (data?.rehearsal) this.mine = data.rehearsal;
  }

  async #told(call: Promise<{ data: Rehearsal | null; problem: Problem | null }>) {
    this.busy = true;
    const { data, problem } = await call;
    this.problem = problem;
    if (data) this.mine = data;
    this.busy = false;
  }

  begin(wanted: Wanted) {
    this.busy = true;
    return call('POST', '/api/days/{day_id}/rehearsals', { ...this.#path, body: wanted }).then((told) => {
      this.problem = told.problem;
      this.busy = false;
      return told.data;
    });
  }

  steer(change: Schemas['SteerIn']) {
    return this.#told(call('PATCH', '/api/days/{day_id}/rehearsal', { ...this.#path, body: change }));
  }

  fault(kind: string) {
    const body = { kind, about: '', length_s: 1200 };
    return this.#told(call('POST', '/api/days/{day_id}/faults', { ...this.#path, body }));
  }

  /** Archive a rehearsal, or restore it. */
  async putAway(id: string, back = false) {
    const params = { path: { day_id: id }, query: { back } };
    const { problem } = await call('DELETE', '/api/days/{day_id}/rehearsal', { params });
    if (problem) notices.say(problem.detail, { bad: true });
    await this.list();
    return problem === null;
  }
}

/** Where faults strike unless somebody says otherwise: spread evenly over the planned day, in the order chosen. */
export const spread = (n: number, k: number, finishS: number) => Math.round(((k + 1) * finishS) / (n + 1) / 60) * 60;
