import { call } from '$shared/api/call';
import { type Problem, type Schemas } from '$shared/api/client';
import { Drafts, worthAgain } from '$shared/device/drafts';

export type Job = Schemas['JobOut'];
export type Plan = Schemas['JobPlanOut'];
export type Sortie = Schemas['SortieOut'];
type Figures = Schemas['JobFigures'];
type Answer = Schemas['JobAnswer'];

const DELAY_MS = 180;

/** What is sent to the server: what people enter, without what the server adds. */
export function figuresOf(job: Job): Figures {
  const { id: _id, version: _version, archived: _archived, changed_at: _changed, ...figures } = job;
  return figures;
}

type Site = Required<NonNullable<Job['site']>>;

/** What stands around a job, with all that it leaves open. */
export function siteOf(job: Job | null): Site {
  const open: Site = {
    obstacles: [],
    fallbacks: [],
    homes: [],
    home_area: [],
    control: [],
    receiver: '',
    correction: 'none',
    base_m: null,
    structures: [],
    sensitive: [],
    datum: null,
  };
  return { ...open, ...job?.site };
}

type Mix = Required<NonNullable<Job['mix']>>;

/** What is sprayed and how it is mixed, with all that it leaves open. */
export function mixOf(job: Job | null): Mix {
  const open: Mix = { crop: '', harvest_on: '', items: [], vessel: false, vessel_l: 100, evened: true, lines_l: 0, fill_s: 180 };
  return { ...open, ...job?.mix };
}

/** A place as one to stay off while spraying. */
export function sensitiveOf(ring: [number, number][], closed: boolean, name = ''): Site['sensitive'][number] {
  return { rule: 'wind', distance_m: 20, within_deg: 45, table: [], ring, closed, name };
}

/** An outline as a structure to be photographed from around. */
export function structureOf(ring: [number, number][], name = ''): Site['structures'][number] {
  return { how: 'rings', top_m: 10, stand_off_m: 20, low_m: 15, high_m: 15, speed_m_s: 3, facing_deg: null, ring, name };
}

/**
 * A job as it stands on the screen: edits at once, undo and redo, saved as you go, planned by the server.
 * Nothing entered is lost: a refused or unsent change stays here and on the device until it can be saved.
 */
export class JobDraft {
  job = $state.raw<Job | null>(null);
  plan = $state.raw<Plan | null>(null);
  planProblem = $state.raw<Schemas['PlanProblem'] | null>(null);
  homeHeight = $state<number | null>(null);
  areasHa = $state.raw<number[]>([]);
  /** The area whose corners are shown as numbers. */
  area = $state(0);
  /** What a file brought in told; it stays until it is closed. */
  imported = $state.raw<{ file: string; notes: Schemas['NoteOut'][] } | null>(null);
  /** A place that the map is asked to show. */
  lookAt = $state.raw<[number, number] | null>(null);
  /** Where overlaps fall short over relief, while that is looked at. */
  short = $state.raw<{ near: number[][][][]; far: number[][][][] } | null>(null);
  /** Whether the map is asked where work stopped, and what was tapped. */
  asking = $state(false);
  /** What is being drawn for a panel: the outline of a structure, the line or outline of a sensitive place. */
  outlining = $state<'' | 'structure' | 'sensitive-line' | 'sensitive-outline'>('');
  stoppedAt = $state.raw<[number, number] | null>(null);
  refused = $state.raw<Problem | null>(null);
  theirs = $state.raw<Job | null>(null);
  state = $state<'loading' | 'saved' | 'waiting' | 'working' | 'unsent' | 'refused' | 'missing'>('loading');
  /** When a change was made that this device kept from an earlier visit; empty where there was none. */
  found = $state('');
  selected = $state(1);
  past = $state.raw<Figures[]>([]);
  future = $state.raw<Figures[]>([]);
  #timer: ReturnType<typeof setTimeout> | undefined;
  #sent: Figures | null = null;
  #running = false;
  #kept = new Drafts<Figures>('jobs');

  /** Whether something here is not on the server and will not be in a moment. */
  get unsaved(): boolean {
    return this.state === 'refused' || this.state === 'unsent';
  }

  get sortie(): Sortie | null {
    return this.plan?.sorties.find((s) => s.number === this.selected) ?? this.plan?.sorties[0] ?? null;
  }

  /** What is wrong at a field: a refusal of the server, or what stands in the way of a plan. */
  problemAt(...fields: string[]): string {
    for (const p of [this.refused, this.planProblem]) {
      if (p && fields.some((f) => p.field === f || p.field.startsWith(`${f}.`))) return p.detail;
    }
    return '';
  }

  async load(id: string) {
    this.state = 'loading';
    this.past = this.future = [];
    this.selected = 1;
    this.area = 0;
    this.imported = null;
    const { data, problem } = await call('GET', '/api/jobs/{job_id}', { params: { path: { job_id: id } } });
    if (data) {
      this.#take(data, true);
      this.#takeUp(data.job);
    } else {
      this.refused = problem;
      this.state = 'missing';
    }
  }

  /** Leave the job: what is not saved stays on the device. */
  leave() {
    this.#kept.rest();
  }

  /** Take up what an earlier visit could not save. */
  #takeUp(saved: Job) {
    const kept = this.#kept.find(saved.id);
    if (!kept) return;
    if (JSON.stringify(kept.figures) === JSON.stringify(figuresOf(saved))) {
      this.#kept.forget(saved.id);
      return;
    }
    this.found = kept.at;
    this.past = [figuresOf(saved)];
    this.job = { ...saved, ...kept.figures };
    if (kept.version === saved.version) this.#later();
    else {
      this.theirs = saved;
      this.state = 'refused';
    }
  }

  /** Change the job; the change can be undone. */
  change(part: Partial<Figures>) {
    if (!this.job) return;
    this.past = [...this.past.slice(-99), figuresOf(this.job)];
    this.future = [];
    this.job = { ...this.job, ...part };
    this.#later();
  }

  undo() {
    this.#step('past', 'future');
  }

  redo() {
    this.#step('future', 'past');
  }

  #step(from: 'past' | 'future', to: 'past' | 'future') {
    const last = this[from].at(-1);
    if (!last || !this.job) return;
    this[to] = [...this[to], figuresOf(this.job)];
    this[from] = this[from].slice(0, -1);
    this.job = { ...this.job, ...last };
    this.#later();
  }

  #later() {
    this.state = 'waiting';
    if (this.job) this.#kept.keep(this.job.id, this.job.version, figuresOf(this.job));
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => void this.save(), DELAY_MS);
  }

  /** Save what stands here now; one call at a time, the latest state wins. */
  async save() {
    if (!this.job || this.#running) return;
    clearTimeout(this.#timer);
    this.#running = true;
    this.state = 'working';
    const body = { version: this.job.version, job: figuresOf(this.job) };
    this.#sent = body.job;
    const { data, problem } = await call('PUT', '/api/jobs/{job_id}', { params: { path: { job_id: this.job.id } }, body });
    this.#running = false;
    if (data) {
      const changed = JSON.stringify(figuresOf(this.job)) !== JSON.stringify(this.#sent);
      this.#take(data, !changed);
      if (changed) this.#later();
      return;
    }
    this.refused = problem;
    this.state = worthAgain(problem) ? 'unsent' : 'refused';
    if (problem.code === 'stale') this.theirs = problem.current as Job;
    else if (worthAgain(problem)) this.#kept.later(() => void this.save(), problem);
    else if (JSON.stringify(figuresOf(this.job)) !== JSON.stringify(this.#sent)) this.#later();
  }

  /** After somebody else saved: keep what is here, or take theirs. Either can be undone. */
  settle(keep: 'mine' | 'theirs') {
    if (!this.job || !this.theirs) return;
    const theirs = this.theirs;
    this.theirs = null;
    this.refused = null;
    if (keep === 'theirs') {
      this.past = [...this.past, figuresOf(this.job)];
      this.job = theirs;
    } else {
      this.job = { ...this.job, version: theirs.version };
    }
    this.#later();
  }

  #take(answer: Answer, whole: boolean) {
    // While more was typed during the call, only the version is taken from the answer.
    this.job = whole || !this.job ? answer.job : { ...this.job, version: answer.job.version };
    this.plan = answer.plan ?? (answer.problem ? null : this.plan);
    this.planProblem = answer.problem;
    this.homeHeight = answer.home_height_m;
    this.areasHa = answer.areas_ha;
    this.refused = null;
    this.state = 'saved';
    if (whole && this.#sent) this.#kept.forget(answer.job.id);
    if (this.plan && !this.plan.sorties.some((s) => s.number === this.selected)) this.selected = 1;
  }
}
