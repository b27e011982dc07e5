/**
 * What was tapped and not yet taken by the server: kept on the device, bound to person, organisation and day, sent in order.
 * A server that takes the same event twice counts it once, so sending again is always safe.
 */
import { openDB, type DBSchema, type IDBPDatabase } from 'idb';

export interface Tap {
  key: string;
  kind: string;
  at: string;
  under: number;
  figures: Record<string, unknown>;
}
interface Kept extends Tap {
  owner: string;
  n: number;
}
interface Shape extends DBSchema {
  taps: { key: string; value: Kept; indexes: { owner: string } };
  days: { key: string; value: { owner: string; live: unknown; at: string } };
}

const NAME = 'gentle-quarry-live';
let opening: Promise<IDBPDatabase<Shape>> | null = null;
function open(): Promise<IDBPDatabase<Shape>> {
  opening ??= openDB<Shape>(NAME, 1, {
    upgrade(db) {
      db.createObjectStore('taps', { keyPath: 'key' }).createIndex('owner', 'owner');
      db.createObjectStore('days', { keyPath: 'owner' });
    },
    terminated: () => (opening = null),
  });
  opening.catch(() => (opening = null));
  return opening;
}

interface Person {
  id?: number | null;
  organisation?: string | null;
}
const personOf = (me: Person) => `${me.organisation ?? ''}/${me.id ?? ''}/`;

/** Whose taps these are: never sent for another person, organisation or day. */
export const ownerOf = (me: Person, day: string) => personOf(me) + day;

/** The days of a person with taps that were not sent yet, and how many. */
export async function unsent(me: Person): Promise<{ day: string; taps: number }[]> {
  const found = new Map<string, number>();
  try {
    for (const { owner } of await (await open()).getAll('taps')) {
      const day = owner.startsWith(personOf(me)) ? owner.slice(personOf(me).length) : '';
      if (day) found.set(day, (found.get(day) ?? 0) + 1);
    }
  } catch {
    // Storage that is refused keeps nothing.
  }
  return [...found].map(([day, taps]) => ({ day, taps }));
}

/** People who have signed out in this page: an answer that was under way then is not kept any more. */
const signedOut = new Set<string>();
export const keepDaysOf = (me: Person) => signedOut.delete(personOf(me));

/** Forget the days that this person saw on this device; taps that were not sent stay. */
export async function forgetDays(me: Person) {
  signedOut.add(personOf(me));
  try {
    const db = await open();
    const mine = (await db.getAllKeys('days')).filter((k) => k.startsWith(personOf(me)));
    const tx = db.transaction('days', 'readwrite');
    await Promise.all([...mine.map((k) => tx.store.delete(k)), tx.done]);
  } catch {
    // Storage that is refused keeps nothing.
  }
}

export const isoNow = () => new Date().toISOString();

export class Outbox {
  #memory: Kept[] = [];
  #n = 0;
  /** Storage was refused: taps last only as long as this page. */
  refused = false;

  constructor(readonly owner: string) {}

  /** Taps that wait, oldest first. */
  async waiting(): Promise<Tap[]> {
    let kept: Kept[] = [];
    try {
      kept = await (await open()).getAllFromIndex('taps', 'owner', this.owner);
      this.refused = false;
    } catch {
      this.refused = true;
    }
    const known = new Set(kept.map((k) => k.key));
    const all = [...kept, ...this.#memory.filter((m) => !known.has(m.key))];
    return all.sort((a, b) => a.n - b.n || a.at.localeCompare(b.at)).map(({ owner: _owner, n: _n, ...tap }) => tap);
  }

  async add(tap: Tap) {
    // Counted on from what waits, whatever the clock says: a device set back by an hour keeps the order of its taps.
    const kept = { ...tap, owner: this.owner, n: (this.#n = Math.max(this.#n, Date.now() * 1000) + 1) };
    this.#memory.push(kept);
    try {
      const db = await open();
      const last = Math.max(0, ...(await db.getAllFromIndex('taps', 'owner', this.owner)).map((k) => k.n));
      this.#n = kept.n = Math.max(kept.n, last + 1);
      await db.put('taps', kept);
      this.#memory = this.#memory.filter((m) => m.key !== kept.key);
    } catch {
      this.refused = true;
    }
  }

  /** Forget what the server has, or has refused and said so. */
  async done(keys: string[]) {
    this.#memory = this.#memory.filter((m) => !keys.includes(m.key));
    try {
      const db = await open();
      const tx = db.transaction('taps', 'readwrite');
      await Promise.all([...keys.map((k) => tx.store.delete(k)), tx.done]);
    } catch {
      this.refused = true;
    }
  }

  /** Keep the day as it was last seen, for a page that is opened without a link. */
  async keep(live: unknown) {
    try {
      const db = await open();
      if ([...signedOut].some((person) => this.owner.startsWith(person))) return;
      await db.put('days', { owner: this.owner, live, at: isoNow() });
    } catch {
      this.refused = true;
    }
  }

  async kept(): Promise<{ live: unknown; at: string } | undefined> {
    try {
      return await (await open()).get('days', this.owner);
    } catch {
      return undefined;
    }
  }
}
