import { call } from '$shared/api/call';
import { notices } from '$shared/device/stream';
import type { Course, Drawn } from './day.svelte';

const SOON_MS = 700;
const AGAIN_MS = 20_000;

/** The course of a running day: fetched when the server says that something happened, and now and then for the clock. */
export class CourseState {
  course = $state.raw<Course | null>(null);
  #unfollow = () => undefined as void;
  #soon: ReturnType<typeof setTimeout> | undefined;
  #again: ReturnType<typeof setInterval> | undefined;
  #busy = false;

  constructor(
    readonly id: string,
    readonly againMs = AGAIN_MS,
  ) {}

  open() {
    void this.refresh();
    this.#again = setInterval(() => void this.refresh(), this.againMs);
    this.#unfollow = notices.follow(this.id, {
      heard: () => {
        this.#soon ??= setTimeout(() => {
          this.#soon = undefined;
          void this.refresh();
        }, SOON_MS);
      },
    });
  }

  close() {
    clearInterval(this.#again);
    clearTimeout(this.#soon);
    this.#unfollow();
  }

  async refresh() {
    if (this.#busy) return;
    this.#busy = true;
    const { data } = await call('GET', '/api/days/{day_id}/course', { params: { path: { day_id: this.id } } });
    if (data) this.course = data;
    this.#busy = false;
  }
}

/** A course as a section draws it. */
export const drawnOf = (course: Course): Drawn => ({ ...course, pins: [] });
