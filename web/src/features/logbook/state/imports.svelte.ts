/** Files on their way into the logbook: sent one after the other, each followed until it is read. */
import { call } from '$shared/api/call';
import { type Schemas } from '$shared/api/client';

type Import = Schemas['ImportOut'];
export interface Sent {
  name: string;
  row: Import | null;
  problem: string;
}

const LOOK_MS = 700;
export const underWay = (row: Import | null) => row !== null && (row.state === 'waiting' || row.state === 'reading');

export class Imports {
  list = $state.raw<Sent[]>([]);
  busy = $state(false);
  #done: () => void;

  constructor(done: () => void) {
    this.#done = done;
  }

  async send(files: File[]) {
    this.busy = true;
    for (const file of files) {
      const body = new FormData();
      body.append('file', file);
      const { data, problem } = await call('POST', '/api/logbook/imports', {
        body: body as never,
        bodySerializer: (b: unknown) => b as FormData,
      });
      this.#put({ name: file.name, row: data, problem: problem?.detail ?? '' });
      if (data) await this.#follow(file.name, data);
    }
    this.busy = false;
    this.#done();
  }

  /** Take up what was still being read when the page was opened. */
  async resume(rows: Import[]) {
    const open = rows.filter(underWay);
    if (!open.length || this.busy) return;
    this.busy = true;
    for (const row of open) await this.#follow(row.name, row);
    this.busy = false;
    this.#done();
  }

  async stop(id: string) {
    const { data } = await call('DELETE', '/api/logbook/imports/{import_id}', { params: { path: { import_id: id } } });
    if (data) this.#put({ name: data.name, row: data, problem: '' });
  }

  /** Read once more what was given up because its process ended. */
  async again(id: string) {
    const { data, problem } = await call('POST', '/api/logbook/imports/{import_id}/again', {
      params: { path: { import_id: id } },
    });
    if (data) await this.#follow(data.name, data);
    else this.list = this.list.map((s) => (s.row?.id === id ? { ...s, problem: problem.detail } : s));
    this.#done();
  }

  async #follow(name: string, first: Import) {
    let row = first;
    while (underWay(row)) {
      this.#put({ name, row, problem: '' });
      await new Promise((r) => setTimeout(r, LOOK_MS));
      const { data } = await call('GET', '/api/logbook/imports/{import_id}', { params: { path: { import_id: row.id } } });
      row = data ?? row;
    }
    this.#put({ name, row, problem: '' });
  }

  #put(one: Sent) {
    const same = (s: Sent) => (one.row && s.row ? s.row.id === one.row.id : s.name === one.name && !s.row);
    this.list = this.list.some(same) ? this.list.map((s) => (same(s) ? one : s)) : [one, ...this.list].slice(0, 8);
  }
}
