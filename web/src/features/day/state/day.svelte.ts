import { call, type Result } from '$shared/api/call';
import { type Problem, type Schemas } from '$shared/api/client';
import { figuresOf } from '$shared/days';
import { Drafts, worthAgain } from '$shared/device/drafts';

export type Day = Schemas['DayOut'];
export type DayPlan = Schemas['DayPlanOut'];
export type Course = Schemas['CourseOut'];
/** What a section is drawn from: a plan, or the course of a running day. */
export type Drawn = Pick<
  DayPlan,
  'length_s' | 'windows' | 'finish_s' | 'flights' | 'aircraft' | 'packs' | 'load' | 'can_give_w' | 'gates' | 'waits'
> & { pins: DayPlan['pins'] };
type Figures = Schemas['DayFigures'];
type Answer = Schemas['DayAnswer'];

/** A day on the screen: changes are saved and planned at once; a better plan is fetched while the search runs. */
export class DayState {
  day = $state.raw<Day | null>(null);
  plan = $state.raw<DayPlan | null>(null);
  problem = $state.raw<Schemas['DayPlanProblem'] | null>(null);
  jobProblems = $state.raw<Schemas['DayProblem'][]>([]);
  refused = $state.raw<Problem | null>(null);
  theirs = $state.raw<Day | null>(null);
  busy = $state(false);
  missing = $state(false);
  #poll: ReturnType<typeof setTimeout> | undefined;
  #waiting: Figures | null = null;
  #kept = new Drafts<Figures>('days');
  /** Something here is not on the server: it was refused, or waits to be sent again. */
  unsaved = $state<'' | 'refused' | 'unsent'>('');
  /** When a change was made that this device kept from an earlier visit; empty where there was none. */
  found = $state('');

  get searching(): boolean {
    return this.plan?.state === 'queued' || this.plan?.state === 'searching';
  }

  problemAt(...fields: string[]): string {
    for (const p of [this.refused, this.problem]) {
      if (p && fields.some((f) => p.field === f || p.field.startsWith(`${f}.`))) return p.detail;
    }
    return '';
  }

  async load(id: string) {
    const { data, problem } = await call('GET', '/api/days/{day_id}', { params: { path: { day_id: id } } });
    // What is not saved yet stays on the screen while the plan is asked for again.
    if (data && this.unsaved) this.plan = data.plan;
    else if (data) {
      this.#take(data);
      this.#takeUp(data.day);
    } else if (problem.status === 404) this.missing = true;
    else this.refused = problem;
  }

  /** Take up what an earlier visit could not save. */
  #takeUp(saved: Day) {
    const kept = this.#kept.find(saved.id);
    if (!kept || this.busy) return;
    if (JSON.stringify(kept.figures) === JSON.stringify(figuresOf(saved))) {
      this.#kept.forget(saved.id);
      return;
    }
    this.found = kept.at;
    this.day = { ...saved, ...kept.figures };
    if (kept.version === saved.version) void this.change({});
    else {
      this.theirs = saved;
      this.unsaved = 'refused';
    }
  }

  /** Send again what waits. */
  again() {
    void this.change({});
  }

  /** Change the day; several quick changes are sent as one. */
  async change(part: Partial<Figures>) {
    if (!this.day) return;
    this.day = { ...this.day, ...part };
    this.#waiting = figuresOf(this.day);
    this.#kept.keep(this.day.id, this.day.version, this.#waiting);
    if (this.busy) return;
    this.busy = true;
    while (this.#waiting && this.day) {
      const figures: Figures = this.#waiting;
      this.#waiting = null;
      const path: { day_id: string } = { day_id: this.day.id };
      const { data, problem }: Result<Answer> = await call('PUT', '/api/days/{day_id}', {
        params: { path },
        body: { version: this.day.version, day: figures },
      });
      if (data) {
        this.unsaved = '';
        if (this.#waiting) this.day = { ...this.day, version: data.day.version };
        else {
          this.#kept.forget(this.day.id);
          this.#take(data);
        }
      } else {
        this.refused = problem;
        this.unsaved = worthAgain(problem) ? 'unsent' : 'refused';
        if (problem.code === 'stale') this.theirs = problem.current as Day;
        this.#waiting = null;
        if (worthAgain(problem)) this.#kept.later(() => void this.change({}), problem);
      }
    }
    this.busy = false;
  }

  settle(keep: 'mine' | 'theirs') {
    if (!this.day || !this.theirs) return;
    const { theirs, day } = this;
    this.theirs = null;
    this.refused = null;
    this.unsaved = '';
    this.day = theirs;
    void this.change(keep === 'mine' ? figuresOf(day) : {});
  }

  async stop() {
    if (!this.day) return;
    const { data } = await call('DELETE', '/api/days/{day_id}/search', { params: { path: { day_id: this.day.id } } });
    if (data) this.#take(data);
  }

  /** Search once more after a search that was stopped or broken off. */
  async search() {
    if (!this.day) return;
    const { data, problem } = await call('POST', '/api/days/{day_id}/search', { params: { path: { day_id: this.day.id } } });
    if (data) this.#take(data);
    else this.refused = problem;
  }

  /** Leave the day: what is not saved stays on the device. */
  leave() {
    clearTimeout(this.#poll);
    this.#kept.rest();
  }

  #take(answer: Answer) {
    this.day = answer.day;
    this.plan = answer.plan;
    this.problem = answer.problem;
    this.jobProblems = answer.job_problems;
    this.refused = null;
    clearTimeout(this.#poll);
    if (this.searching) this.#poll = setTimeout(() => !this.busy && void this.load(answer.day.id), 900);
  }
}
