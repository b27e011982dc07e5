/** Files brought to the map: boundaries are offered, terrain and pictures of the ground are kept; a refusal stays to be read. */
import { call } from '$shared/api/call';
import { notices } from '$shared/ui/notices.svelte';
import { leftOut, taken, type Boundary, type Choice } from '../state/boundary';
import type { JobDraft } from '../state/draft.svelte';
import type { Layers } from './layers.svelte';

interface Host {
  draft: JobDraft;
  layers: Layers;
  writable(): boolean;
  findTerrain(): Promise<void>;
  fit(): void;
  bring(bounds: number[]): void;
}

export class MapFiles {
  /** A file is held over the map. */
  over = $state(false);
  reading = $state(false);
  found = $state.raw<{ file: string; boundary: Boundary } | null>(null);
  refusal = $state.raw<{ file: string; words: string } | null>(null);
  /** Stops the reading of a boundary; what is kept on the server is undone instead. */
  stop = $state.raw<AbortController | null>(null);
  #on: Host;

  constructor(on: Host) {
    this.#on = on;
  }

  cancel() {
    this.stop?.abort();
    this.stop = null;
    this.reading = false;
  }

  /** Read a file that was dropped or chosen: a boundary, terrain, or a picture of the ground. */
  async take(files: FileList | null | undefined) {
    this.over = false;
    const file = files?.[0];
    if (!file || !this.#on.writable()) return;
    this.reading = true;
    this.stop = null;
    const form = new FormData();
    form.append('file', file);
    if (/\.(tiff?|mbtiles|pmtiles)$/i.test(file.name)) return this.#picture(file.name, form);
    if (/\.(asc|grd)$/i.test(file.name)) return this.#terrain(file.name, form);
    this.stop = new AbortController();
    const stopped = this.stop.signal;
    const job = this.#on.draft.job!;
    const { data, problem } = await call('POST', '/api/jobs/boundary', {
      signal: stopped,
      params: { query: job.home ? { home_lon: job.home[0], home_lat: job.home[1] } : {} },
      body: form as never,
      bodySerializer: (b) => b as never,
    });
    if (stopped.aborted) return;
    this.reading = false;
    if (data) this.found = { file: file.name, boundary: data };
    // A refusal stays to be read; what was there stays as it is.
    else this.refusal = { file: file.name, words: problem.detail };
  }

  /** Take what was chosen of the file into the job. */
  takeOver(choice: Choice) {
    if (!this.found) return;
    const { file: name, boundary: data } = this.found;
    const { draft } = this.#on;
    this.found = this.refusal = null;
    const change = taken(data, choice, draft.job!);
    const chosen = choice.points.includes('home');
    const notes = [...data.notes, ...leftOut(data, choice)];
    if (!chosen && !data.home_stays)
      notes.unshift({
        did: 'found',
        words: 'No home was taken from the file: it stands at a corner of the area. Move it to where you take off.',
        at: data.home,
      });
    draft.change(change);
    draft.area = 0;
    draft.imported = { file: name, notes };
    const count = change.areas!.length;
    notices.say(`${name}: ${count} area${count > 1 ? 's' : ''} taken over`, { undo: () => draft.undo() });
    setTimeout(() => this.#on.fit(), 30);
  }

  /** Text with corners or WKT, pasted. */
  pasted(e: ClipboardEvent) {
    const into = e.target as HTMLElement | null;
    if (into?.closest('input, textarea, select') || !this.#on.writable()) return;
    const text = e.clipboardData?.getData('text/plain').trim() ?? '';
    if (e.clipboardData?.files.length) void this.take(e.clipboardData.files);
    else if (/^(SRID|MULTI|POLYGON|LINESTRING|[{<]|\S*lat|\S*lon)/i.test(text)) {
      const list = new DataTransfer();
      list.items.add(new File([text], 'pasted text', { type: 'text/plain' }));
      void this.take(list.files);
    }
  }

  /** A picture of the ground; a GeoTIFF of heights is terrain. */
  async #picture(name: string, form: FormData) {
    const { data, problem } = await call('POST', '/api/imagery', { body: form as never, bodySerializer: (b) => b as never });
    if (problem?.code === 'heights') return this.#terrain(name, form);
    this.reading = false;
    if (!data) {
      this.refusal = { file: name, words: problem.detail };
      return;
    }
    await this.#on.layers.load();
    const path = { params: { path: { imagery_id: data.id } } };
    const undo = () => void call('DELETE', '/api/imagery/{imagery_id}', path).then(() => this.#on.layers.load());
    notices.say(`${name}: taken as a picture of the ground. ${data.notes.join(' ')}`.trim(), { undo });
    this.#on.bring(data.bounds);
  }

  async #terrain(name: string, form: FormData) {
    const { data, problem } = await call('POST', '/api/terrains', { body: form as never, bodySerializer: (b) => b as never });
    this.reading = false;
    if (!data) {
      this.refusal = { file: name, words: problem.detail };
      return;
    }
    const undo = async () => {
      const back = await call('DELETE', '/api/terrains/{terrain_id}', { params: { path: { terrain_id: data.id } } });
      if (back.problem) notices.say(back.problem.detail, { bad: true });
      await this.#on.findTerrain();
      void this.#on.draft.load(this.#on.draft.job!.id);
    };
    notices.say(`${name}: terrain taken over, the plan follows it`, { undo: () => void undo() });
    await this.#on.findTerrain();
    void this.#on.draft.load(this.#on.draft.job!.id);
  }
}
