import { session } from '$shared/session.svelte';
import { call } from '$shared/api/call';
import { type Problem } from '$shared/api/client';
import { isoNow, Outbox, type Tap } from '$shared/device/outbox';
import { sendWaiting } from '$shared/device/send';
import { notices } from '$shared/device/stream';
import type { Whose } from '../words/calls';
import type { Live, Tapped } from '../words/words';

const AGAIN_MS = 4000;
const FRESH_MS = 30_000;

/** A running day on this device: what the server last said, what was tapped since, and whether there is a link. */
export class LiveState {
  live = $state.raw<Live | null>(null);
  waiting = $state.raw<Tap[]>([]);
  linked = $state(true);
  /** When the day on the screen was told, where it comes from the device itself. */
  keptAt = $state('');
  refused = $state.raw<{ detail: string }[]>([]);
  problem = $state.raw<Problem | null>(null);
  notStarted = $state(false);
  clockOffS = $state(0);
  storageRefused = $state(false);
  /** Whose calls are shown here; the call that was chosen out of order; the landing that is written down. */
  whose = $state<Whose>('all');
  chosen = $state('');
  landing = $state.raw<{ flight: string; early: boolean } | null>(null);
  /** Calls that were answered by a note. */
  answered = $state.raw<readonly string[]>([]);
  /** Seconds from the opening, by this device's clock set to the server's. */
  nowS = $state(0);
  last = $state.raw<{ key: string; words: string } | null>(null);

  #outbox: Outbox;
  /** When the server last told the time of the day, by this device's clock; from then on it runs at its speed. */
  #base = { atMs: 0, s: 0, speed: 1 };
  #unfollow = () => undefined as void;
  #closed = false;
  #timers: ReturnType<typeof setInterval>[] = [];
  #sending = false;
  #again = false;
  #askedAt = 0;
  /** Calls answered by taps that the server has not taken yet: it will say itself what comes of them. */
  #waitingFor: string[] = [];
  #notes: string[] = [];

  constructor(
    readonly id: string,
    owner: string,
  ) {
    this.#outbox = new Outbox(owner);
  }

  async open() {
    this.waiting = await this.#outbox.waiting();
    await this.refresh();
    if (!this.live && !this.notStarted) {
      const kept = await this.#outbox.kept();
      if (kept) {
        this.live = kept.live as Live;
        this.keptAt = kept.at;
        this.#base = { atMs: Date.parse(this.live.opens_at), s: 0, speed: 1 };
      }
    }
    // The screen may have been left while it was opening.
    if (this.#closed) return;
    this.#unfollow = notices.follow(this.id, {
      heard: (revision) => {
        if (revision !== this.live?.revision) void this.refresh();
      },
      linked: (up) => {
        if (!up) this.linked = false;
        else if (!this.linked) void this.send();
      },
    });
    this.#timers = [
      setInterval(() => this.#tick(), 250),
      setInterval(() => {
        if (this.waiting.length || !this.linked) void this.send();
        else if (Date.now() - this.#askedAt > FRESH_MS) void this.refresh();
      }, AGAIN_MS),
    ];
    this.#tick();
    if (this.waiting.length) void this.send();
  }

  close() {
    this.#closed = true;
    this.#timers.forEach(clearInterval);
    this.#unfollow();
  }

  /** Begin the day; on another date or hours early the server asks, and `now` lets it open at this minute. */
  async start(how: '' | 'now' = '') {
    const { data, problem } = await call('POST', '/api/days/{day_id}/live', {
      params: { path: { day_id: this.id }, query: { how } },
    });
    this.problem = problem;
    if (data) this.#take(data);
    void session.load();
  }

  async refresh() {
    const { data, problem } = await call('GET', '/api/days/{day_id}/live', { params: { path: { day_id: this.id } } });
    this.#askedAt = Date.now();
    if (data?.live) this.#take(data.live);
    else if (data) this.notStarted = true;
    else if (problem.status === 0) this.linked = false;
    else this.problem = problem;
  }

  /** Open the landing of a sortie; what turned home before its work was done comes early. */
  land(flight: string, early = false) {
    const f = this.live?.flights.find((x) => x.id === flight);
    this.landing = { flight, early: early || (f?.homing_s ?? null) !== null };
  }

  /** Something was tapped: it is kept first, then sent. */
  async tap(tapped: Tapped, words: string, call = '', forS = Infinity) {
    const tap: Tap = {
      key: crypto.randomUUID(),
      kind: tapped.kind,
      at: isoNow(),
      under: this.live?.revision ?? 0,
      figures: tapped.figures,
    };
    if (call) {
      this.answered = [...this.answered, call];
      const forMs = (forS * 1000) / Math.max(1, this.#base.speed);
      if (Number.isFinite(forS)) setTimeout(() => (this.answered = this.answered.filter((t) => t !== call)), forMs);
      (tapped.kind === 'note' ? this.#notes : this.#waitingFor).push(call);
    }
    this.last = { key: tap.key, words };
    this.chosen = '';
    await this.#outbox.add(tap);
    this.waiting = await this.#outbox.waiting();
    this.storageRefused = this.#outbox.refused;
    await this.send();
  }

  /** Take back the last tap, whether it was sent or not. */
  async undo() {
    const last = this.last;
    if (!last) return;
    this.last = null;
    await this.tap({ kind: 'undo', figures: { of: last.key } }, `undone: ${last.words}`);
    this.last = null;
  }

  /** Close the day into its records; true when it is closed. ``without``: why it is, although spray records lack something. */
  async finish(without = ''): Promise<boolean> {
    await this.send();
    const { data, problem } = await call('POST', '/api/days/{day_id}/close', {
      params: { path: { day_id: this.id } },
      body: { without },
    });
    this.problem = problem;
    if (data) void session.load();
    return !!data;
  }

  /** Send what waits, in order; what was taken or refused waits no longer. */
  async send() {
    this.#again = this.#sending;
    if (this.#sending) return;
    this.#sending = true;
    const asked = [...this.#waitingFor];
    try {
      const { told: data, problem } = await sendWaiting(this.id, this.#outbox);
      if (data) {
        if (data.refused.length) this.refused = data.refused;
        this.clockOffS = data.clock_off_s;
        this.#waitingFor = this.#waitingFor.filter((c) => !asked.includes(c));
        if (data.live) this.#take(data.live);
        else void this.refresh();
      } else {
        // Whatever the reason, nothing is dropped: a lost link, a session that ended, a server that is starting again.
        this.linked = problem.status !== 0 && problem.status < 500;
        if (problem.status !== 0 && problem.status !== 401 && problem.status < 500) this.problem = problem;
      }
    } finally {
      this.waiting = await this.#outbox.waiting();
      this.storageRefused = this.#outbox.refused;
      this.#sending = false;
    }
    // What was tapped meanwhile does not wait for the next round.
    if (this.#again) void this.send();
  }

  #take(live: Live) {
    this.live = live;
    this.linked = true;
    this.keptAt = '';
    this.problem = null;
    this.notStarted = false;
    this.#askedAt = Date.now();
    this.#base = { atMs: Date.now(), s: live.now_s, speed: live.speed };
    this.answered = this.answered.filter(
      (t) => live.calls.some((c) => c.id === t) && (this.#notes.includes(t) || this.#waitingFor.includes(t)),
    );
    this.#tick();
    void this.#outbox.keep(live);
  }

  #tick() {
    if (this.live) this.nowS = this.#base.s + ((Date.now() - this.#base.atMs) / 1000) * this.#base.speed;
  }
}
