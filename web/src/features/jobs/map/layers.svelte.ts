/** What lies under the plan: pictures of the ground, terrain, a service. What is switched off stays so on this device. */
import { call } from '$shared/api/call';
import type { Schemas } from '$shared/api/client';
import { session } from '$shared/session.svelte';
import type { Picture } from './job-map';

export type Imagery = Schemas['ImageryLine'];
const KEY = 'gentle-quarry-map-off';
const SERVICE = 'service';

export class Layers {
  imagery = $state.raw<Imagery[]>([]);
  problem = $state('');
  #off = $state.raw<string[]>(kept());

  async load() {
    const { data, problem } = await call('GET', '/api/imagery');
    this.problem = problem?.detail ?? '';
    if (data) this.imagery = data;
  }

  on(id: string): boolean {
    return !this.#off.includes(id);
  }

  set(id: string, on: boolean) {
    this.#off = on ? this.#off.filter((k) => k !== id) : [...this.#off, id];
    try {
      localStorage.setItem(KEY, JSON.stringify(this.#off));
    } catch {
      // A device that keeps nothing shows everything next time.
    }
  }

  /** A service of pictures, where the company has entered one. */
  get service(): string {
    return session.me?.map_address ?? '';
  }

  get shown(): Picture[] {
    const own = this.imagery
      .filter((i) => this.on(i.id))
      .map((i) => ({
        id: i.id,
        url: `/api/imagery/${i.id}/{z}/{x}/{y}`,
        bounds: i.bounds as number[],
        zooms: [i.least_zoom, i.most_zoom] as [number, number],
      }));
    const service = this.service && this.on(SERVICE);
    return [...(service ? [{ id: SERVICE, url: this.service, bounds: null, zooms: [0, 20] as [number, number] }] : []), ...own];
  }

  get credits(): string {
    const own = this.imagery.filter((i) => this.on(i.id) && i.credit).map((i) => i.credit);
    return [...own, ...(this.service && this.on(SERVICE) ? [session.me?.map_credit ?? ''] : [])].filter(Boolean).join(', ');
  }
}

function kept(): string[] {
  try {
    const said: unknown = JSON.parse(localStorage.getItem(KEY) ?? '[]');
    return Array.isArray(said) ? said.filter((k) => typeof k === 'string') : [];
  } catch {
    return [];
  }
}
