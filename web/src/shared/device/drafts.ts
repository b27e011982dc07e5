/**
 * Changes that the server has not taken yet: kept on this device, bound to the person, until it has them.
 * What was refused is kept too, so that nothing that was entered is lost with the page.
 */
import type { Problem } from '../api/client';
import { listeners } from '../api/client';
import { session } from '../session.svelte';

export interface KeptDraft<T> {
  /** The version that the change was made on. */
  version: number;
  figures: T;
  at: string;
}

const PREFIX = 'gentle-quarry-draft';
const FIRST_MS = 5_000;
const MOST_MS = 60_000;

/** Whether the same change may be taken later: the link was lost, the session ended, or the server failed. */
export function worthAgain(problem: Problem): boolean {
  return (
    problem.status === 0 || problem.status === 401 || problem.status === 408 || problem.status === 429 || problem.status >= 500
  );
}

/** What must not be left without asking. */
export const LEAVE_WORDS =
  'Changes here are not saved on the server yet. They stay on this device and are sent when you open this page again. Leave the page now?';

export class Drafts<T> {
  #timer: ReturnType<typeof setTimeout> | undefined;
  #waitMs = FIRST_MS;
  #again: (() => void) | null = null;

  constructor(readonly kind: 'jobs' | 'days') {}

  /** Whose changes these are: never sent by another person who signs in on the same device. */
  readonly who = session.me?.id ?? 0;

  #key(id: string) {
    return `${PREFIX}/${this.who}/${this.kind}/${id}`;
  }

  keep(id: string, version: number, figures: T) {
    try {
      localStorage.setItem(this.#key(id), JSON.stringify({ version, figures, at: new Date().toISOString() }));
    } catch {
      // A device that keeps nothing still has the change on the screen.
    }
  }

  find(id: string): KeptDraft<T> | null {
    try {
      return JSON.parse(localStorage.getItem(this.#key(id)) ?? 'null') as KeptDraft<T> | null;
    } catch {
      return null;
    }
  }

  forget(id: string) {
    this.rest();
    try {
      localStorage.removeItem(this.#key(id));
    } catch {
      // Nothing was kept.
    }
  }

  /** Try again by itself, less and less often, and at once when this person has signed in again. */
  later(again: () => void, problem: Problem) {
    clearTimeout(this.#timer);
    this.#again = again;
    listeners.signedIn.add(this.#now);
    // Without a session only signing in helps.
    if (problem.status !== 401) {
      this.#timer = setTimeout(() => this.#now(), this.#waitMs);
      this.#waitMs = Math.min(2 * this.#waitMs, MOST_MS);
    }
  }

  /** Nothing is to be tried again. */
  rest() {
    clearTimeout(this.#timer);
    listeners.signedIn.delete(this.#now);
    this.#again = null;
    this.#waitMs = FIRST_MS;
  }

  #now = () => {
    clearTimeout(this.#timer);
    if ((session.me?.id ?? 0) === this.who) this.#again?.();
  };
}
