import { call, type Result } from './api/call';
import { listeners, type Problem, type Schemas } from './api/client';
import { forgetDays, keepDaysOf } from './device/outbox';
import { signWithPasskey } from './device/passkeys';
import { sendAll } from './device/send';
import type { System } from './format/units';

type Me = Schemas['Me'];
const KEPT = 'gentle-quarry-me';
/** Who was signed in on this device when there was a link; a page that opens without one goes by it. */
const kept = {
  read(): Me | null {
    try {
      return JSON.parse(localStorage.getItem(KEPT) ?? 'null') as Me | null;
    } catch {
      return null;
    }
  },
  write(me: Me | null) {
    try {
      if (me?.signed_in) localStorage.setItem(KEPT, JSON.stringify(me));
      else localStorage.removeItem(KEPT);
    } catch {
      // A device that keeps nothing needs a link to open a page.
    }
  },
};

/** Who is signed in and how this person wants to see things. */
class Session {
  me = $state<Me | null>(null);
  lost = $state(false);
  /** The server was not reached and this device knows nobody. */
  unreached = $state(false);

  get units(): System {
    return this.me?.units ?? 'metric';
  }

  may(right: string): boolean {
    return this.me?.rights.includes(right) ?? false;
  }

  async load() {
    listeners.signedOut = () => (this.lost = true);
    // Who was here last is most likely here now: the page need not wait for the server to say so.
    if (!this.me && kept.read()) this.#take(kept.read());
    const { data, problem } = await call('GET', '/api/me');
    if (data) kept.write(data);
    this.#take(data ?? (problem.status === 0 || problem.status >= 500 ? kept.read() : null));
    this.unreached = !data && !this.me;
  }

  /** Sign in by name and password; where a second step is set up, `me.second_step` says by what it is finished. */
  async signIn(username: string, password: string, company = '') {
    return this.#opened(await call('POST', '/api/session', { body: { username, password, company } }));
  }

  async signInByCode(code: string) {
    return this.#opened(await call('POST', '/api/session/code', { body: { code } }));
  }

  /** Sign in by a passkey of this device, with or without a password before. */
  async signInByPasskey(): Promise<Problem | null> {
    const asked = await call('POST', '/api/session/passkey/question');
    if (asked.problem) return asked.problem;
    const { credential, problem } = await signWithPasskey(asked.data.options);
    return problem ?? this.#opened(await call('POST', '/api/session/passkey', { body: { credential } }));
  }

  #opened({ data, problem }: Result<Me>): Problem | null {
    if (data?.signed_in) {
      kept.write(data);
      keepDaysOf(data);
      this.unreached = false;
    }
    if (data) this.#take(data);
    if (data?.signed_in) for (const heard of [...listeners.signedIn]) heard();
    return problem;
  }

  /**
   * Sign out once all that was tapped on this device is sent; returns how many taps still wait, and then nobody is signed out.
   * With `anyway` they stay on the device and go when the same person signs in again.
   */
  async signOut(anyway = false): Promise<{ waiting: number; problem: Problem | null }> {
    const me = this.me;
    const waiting = me && !anyway ? await sendAll(me) : 0;
    if (waiting) return { waiting, problem: null };
    const { problem } = await call('DELETE', '/api/session');
    if (problem) return { waiting: 0, problem };
    if (me?.signed_in) await forgetDays(me);
    kept.write(null);
    await this.load();
    return { waiting: 0, problem: null };
  }

  async prefer(change: Partial<Pick<Me, 'units' | 'light' | 'gloves'>>) {
    if (this.me) {
      this.#take({ ...this.me, ...change });
      kept.write(this.me);
    }
    if (this.me?.signed_in) await call('PATCH', '/api/me', { body: change });
  }

  #take(me: Me | null) {
    this.me = me;
    this.lost = false;
    document.documentElement.dataset.light = me?.light ?? 'day';
    document.documentElement.dataset.gloves = String(me?.gloves ?? false);
  }
}

export const session = new Session();
