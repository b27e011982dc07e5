/** A job as flown: what was asked for, the moment that is looked at, the gaps that were chosen. */
import { call } from '$shared/api/call';
import type { Schemas } from '$shared/api/client';
import { Resource } from '$shared/resource.svelte';

export type AsFlown = Schemas['AsFlownOut'];
export type Gap = Schemas['GapOut'];
export type Polygon = [number, number][][];

export class Flown {
  on = $state(false);
  /** Of one day; empty: the days that complete one another. */
  day = $state('');
  /** The moment looked at, in seconds from the first take-off; the end where nobody has moved it. */
  until = $state<number | null>(null);
  chosen = $state.raw<readonly number[]>([]);
  /** The gap that is looked at. */
  looked = $state<number | null>(null);
  answer: Resource<Schemas['AsFlownAnswer']>;
  #id: string;

  constructor(id: string) {
    this.#id = id;
    this.answer = new Resource(
      () => call('GET', '/api/jobs/{job_id}/as-flown', { params: { path: { job_id: id }, query: this.query } }),
      (found) => {
        this.until = null;
        this.looked = null;
        this.chosen = found.flown?.gaps.map((g) => g.number) ?? [];
      },
    );
  }

  get query(): { day_id?: string } {
    return this.day ? { day_id: this.day } : {};
  }

  get view(): AsFlown | null {
    return this.answer.value?.flown ?? null;
  }

  get moment(): number {
    return this.until ?? this.view?.length_s ?? 0;
  }

  show(on: boolean) {
    this.on = on;
    if (on && !this.answer.value) void this.answer.load();
  }

  take(day: string) {
    this.day = day;
    void this.answer.load();
  }

  turn(gap: number) {
    this.chosen = this.chosen.includes(gap) ? this.chosen.filter((n) => n !== gap) : [...this.chosen, gap];
  }

  all(on: boolean) {
    this.chosen = on ? (this.view?.gaps.map((g) => g.number) ?? []) : [];
  }

  working = (key: string) =>
    call('GET', '/api/jobs/{job_id}/as-flown/working', { params: { path: { job_id: this.#id }, query: { key, ...this.query } } });

  fly = (join: string | null) =>
    call('POST', '/api/jobs/{job_id}/gaps', {
      params: { path: { job_id: this.#id } },
      body: { numbers: [...this.chosen], mark: this.view!.mark, day_id: this.day || null, join },
    });
}
