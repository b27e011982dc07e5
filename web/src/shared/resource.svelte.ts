import type { Result } from './api/call';
import type { Problem } from './api/client';

/**
 * Something that a screen asks the server for: what came, or why nothing did. What came before stays while it is asked again,
 * and a refusal is never an empty list. The newest question alone is answered.
 */
export class Resource<T> {
  value = $state.raw<T | null>(null);
  problem = $state.raw<Problem | null>(null);
  busy = $state(false);
  #turn = 0;
  #ask: () => Promise<Result<T>>;
  #seen: (value: T) => void;

  constructor(ask: () => Promise<Result<T>>, seen: (value: T) => void = () => {}) {
    this.#ask = ask;
    this.#seen = seen;
  }

  load = async () => {
    const mine = ++this.#turn;
    this.busy = true;
    const { data, problem } = await this.#ask();
    if (mine !== this.#turn) return;
    this.busy = false;
    this.problem = problem;
    if (problem) return;
    this.value = data as T;
    this.#seen(this.value);
  };
}

/** A resource that is asked for at once. */
export function resource<T>(ask: () => Promise<Result<T>>, seen?: (value: T) => void): Resource<T> {
  const made = new Resource(ask, seen);
  void made.load();
  return made;
}

/** A page as the server gives it. */
export interface Page<T> {
  items: T[];
  next: string | null;
  total: number;
}

/** A list that comes in pages: the first is asked for again whenever what is searched for changes. */
export class Pages<T> {
  items = $state.raw<T[] | null>(null);
  next = $state.raw<string | null>(null);
  total = $state(0);
  problem = $state.raw<Problem | null>(null);
  busy = $state(false);
  #turn = 0;
  #ask: (cursor: string) => Promise<Result<Page<T>>>;

  constructor(ask: (cursor: string) => Promise<Result<Page<T>>>) {
    this.#ask = ask;
  }

  load = () => this.#get('');
  more = () => (this.next ? this.#get(this.next) : Promise.resolve());

  async #get(cursor: string) {
    const mine = ++this.#turn;
    this.busy = true;
    const { data, problem } = await this.#ask(cursor);
    if (mine !== this.#turn) return;
    this.busy = false;
    this.problem = problem;
    if (!data) return;
    this.items = cursor ? [...(this.items ?? []), ...data.items] : data.items;
    this.next = data.next;
    this.total = data.total;
  }
}

const MOST_PAGES = 20;

/** Every row of a list that comes in pages, for a choice among all of them; bounded, and a refusal is a refusal. */
export async function all<T>(ask: (cursor: string) => Promise<Result<Page<T>>>): Promise<Result<T[]>> {
  const found: T[] = [];
  let cursor = '';
  for (let k = 0; k < MOST_PAGES; k++) {
    const { data, problem } = await ask(cursor);
    if (!data) return { data: null, problem };
    found.push(...data.items);
    if (!data.next) break;
    cursor = data.next;
  }
  return { data: found, problem: null };
}
