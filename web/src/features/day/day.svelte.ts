import { ask, client, type Problem, type Schemas } from '$shared/api/client';

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

export function figuresOf(day: Day): Figures {
  const { id: _id, version: _version, archived: _archived, running: _running, ...figures } = day;
  return figures;
}

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
    const { data, problem } = await ask<Answer>(client.GET('/api/days/{day_id}', { params: { path: { day_id: id } } }));
    if (data) this.#take(data);
    else if (problem.status === 404) this.missing = true;
    else this.refused = problem;
  }

  /** Change the day; several quick changes are sent as one. */
  async change(part: Partial<Figures>) {
    if (!this.day) return;
    this.day = { ...this.day, ...part };
    this.#waiting = figuresOf(this.day);
    if (this.busy) return;
    this.busy = true;
    while (this.#waiting && this.day) {
      const figures: Figures = this.#waiting;
      this.#waiting = null;
      const path: { day_id: string } = { day_id: this.day.id };
      const { data, problem }: Awaited<ReturnType<typeof ask<Answer>>> = await ask<Answer>(
        client.PUT('/api/days/{day_id}', {
          params: { path },
          body: { version: this.day.version, day: figures },
        }),
      );
      if (data) {
        if (this.#waiting) this.day = { ...this.day, version: data.day.version };
        else this.#take(data);
      } else {
        this.refused = problem;
        if (problem.code === 'stale') this.theirs = problem.current as Day;
        this.#waiting = null;
      }
    }
    this.busy = false;
  }

  settle(keep: 'mine' | 'theirs') {
    if (!this.day || !this.theirs) return;
    const { theirs, day } = this;
    this.theirs = null;
    this.refused = null;
    this.day = theirs;
    void this.change(keep === 'mine' ? figuresOf(day) : {});
  }

  async stop() {
    if (!this.day) return;
    const { data } = await ask<Answer>(client.DELETE('/api/days/{day_id}/search', { params: { path: { day_id: this.day.id } } }));
    if (data) this.#take(data);
  }

  leave() {
    clearTimeout(this.#poll);
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
