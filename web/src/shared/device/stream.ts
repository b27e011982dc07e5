/**
 * Notices that a day has changed: one stream for the whole browser, however many tabs are open.
 *
 * The tab that holds the lock listens and passes on what it hears; when it is closed, the next one takes over. Where a
 * browser has no locks (a page without a secure address), each tab listens for itself. Without anybody who follows a day,
 * nothing listens.
 */
import { listeners } from '../api/client';
import { session } from '../session.svelte';

export interface Follower {
  /** A day has changed; the revision is 0 where that is not told. */
  heard: (revision: number) => void;
  /** The link to the server was lost or is back. */
  linked?: (up: boolean) => void;
}
type Notice = { day?: string; revision: number } | { linked: boolean };

const NAME = 'gentle-quarry-notices';
const AGAIN_MS = 15_000;

class Notices {
  #followers = new Map<Follower, string>();
  #source: EventSource | null = null;
  #channel: BroadcastChannel | null = null;
  #stop: (() => void) | null = null;
  #again: ReturnType<typeof setTimeout> | undefined;

  /** Follow a day; returns what ends it. */
  follow(day: string, follower: Follower): () => void {
    if (typeof EventSource === 'undefined') return () => undefined;
    this.#followers.set(follower, day);
    if (this.#followers.size === 1) this.#begin();
    return () => {
      if (this.#followers.delete(follower) && this.#followers.size === 0) this.#end();
    };
  }

  #begin() {
    const name = `${NAME}-${session.me?.id ?? 0}`;
    if (typeof BroadcastChannel === 'undefined' || typeof navigator === 'undefined' || !navigator.locks) {
      this.#listen();
      return;
    }
    this.#channel = new BroadcastChannel(name);
    this.#channel.onmessage = (e: MessageEvent<Notice>) => this.#pass(e.data);
    const leave = new AbortController();
    let release = () => undefined as void;
    const held = new Promise<void>((done) => (release = done));
    navigator.locks
      .request(name, { signal: leave.signal }, () => {
        this.#listen();
        return held;
      })
      .catch(() => undefined); // left before its turn came
    this.#stop = () => {
      leave.abort();
      release();
    };
  }

  #end() {
    clearTimeout(this.#again);
    this.#stop?.();
    this.#stop = null;
    this.#source?.close();
    this.#source = null;
    this.#channel?.close();
    this.#channel = null;
  }

  #listen() {
    if (!this.#followers.size) return;
    const source = new EventSource('/api/stream');
    this.#source = source;
    source.addEventListener('day', (e) => {
      const [day, revision] = (e as MessageEvent<string>).data.split(':');
      this.#tell({ day, revision: Number(revision) });
    });
    // The session has ended, or access was taken: whoever looks on is asked to sign in.
    source.addEventListener('over', () => {
      source.close();
      listeners.signedOut();
      this.#again = setTimeout(() => this.#listen(), AGAIN_MS);
    });
    source.addEventListener('all', () => this.#tell({ revision: 0 }));
    source.onopen = () => this.#tell({ linked: true });
    source.onerror = () => {
      this.#tell({ linked: false });
      // A refusal ends a stream for good: somebody may be signed in again later.
      if (source.readyState === EventSource.CLOSED) this.#again = setTimeout(() => this.#listen(), AGAIN_MS);
    };
  }

  #tell(notice: Notice) {
    this.#channel?.postMessage(notice);
    this.#pass(notice);
  }

  #pass(notice: Notice) {
    for (const [follower, day] of [...this.#followers]) {
      if ('linked' in notice) follower.linked?.(notice.linked);
      else if (notice.day === undefined || notice.day === day) follower.heard(notice.revision);
    }
  }
}

export const notices = new Notices();
