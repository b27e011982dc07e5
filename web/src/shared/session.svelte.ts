import { ask, client, listeners, type Schemas } from './api/client';
import type { System } from './format/units';

type Me = Schemas['Me'];

/** Who is signed in and how this person wants to see things. */
class Session {
  me = $state<Me | null>(null);
  lost = $state(false);

  get units(): System {
    return this.me?.units ?? 'metric';
  }

  may(right: string): boolean {
    return this.me?.rights.includes(right) ?? false;
  }

  async load() {
    listeners.signedOut = () => (this.lost = true);
    const { data } = await ask<Schemas['Me']>(client.GET('/api/me'));
    this.#take(data);
  }

  async signIn(username: string, password: string) {
    const { data, problem } = await ask<Schemas['Me']>(client.POST('/api/session', { body: { username, password } }));
    if (data) this.#take(data);
    return problem;
  }

  async signOut() {
    await ask<Schemas['Me']>(client.DELETE('/api/session'));
    await this.load();
  }

  async prefer(change: Partial<Pick<Me, 'units' | 'light' | 'gloves'>>) {
    if (this.me) this.#take({ ...this.me, ...change });
    if (this.me?.signed_in) await ask<Schemas['Me']>(client.PATCH('/api/me', { body: change }));
  }

  #take(me: Me | null) {
    this.me = me;
    this.lost = false;
    document.documentElement.dataset.light = me?.light ?? 'day';
    document.documentElement.dataset.gloves = String(me?.gloves ?? false);
  }
}

export const session = new Session();
