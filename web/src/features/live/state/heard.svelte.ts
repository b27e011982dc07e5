import type { Live } from '../words/words';

const KEPT = 'gentle-quarry-heard';
const HIGH_HZ = 880;
const LOW_HZ = 587;
const LENGTH_S = 0.22;

/** Sound and vibration, by choice of this device: for what cannot wait, and for a call that comes due. */
class Heard {
  sound = $state(false);
  shake = $state(false);
  #said = new Set<string>();
  #audio: AudioContext | null = null;

  constructor() {
    try {
      const kept = JSON.parse(localStorage.getItem(KEPT) ?? '{}') as { sound?: boolean; shake?: boolean };
      [this.sound, this.shake] = [!!kept.sound, !!kept.shake];
    } catch {
      // A device that keeps nothing is asked again.
    }
  }

  /** Whether this device can vibrate at all. */
  get canShake(): boolean {
    return typeof navigator.vibrate === 'function';
  }

  choose(change: { sound?: boolean; shake?: boolean }) {
    this.sound = change.sound ?? this.sound;
    this.shake = change.shake ?? this.shake;
    try {
      localStorage.setItem(KEPT, JSON.stringify({ sound: this.sound, shake: this.shake }));
    } catch {
      // It holds for this page.
    }
    // A first sound at the tap itself: browsers let no other begin.
    if (this.sound || this.shake) this.#give('due');
  }

  /** Say what is new: each alert and each due call once. */
  follow(live: Live, due: string) {
    for (const a of live.alerts) if (a.grade === 'now') this.#once(a.key, 'now');
    if (due) this.#once(`due ${due}`, 'due');
    const open = new Set([...live.alerts.map((a) => a.key), `due ${due}`]);
    this.#said = new Set([...this.#said].filter((k) => open.has(k)));
  }

  #once(key: string, grade: 'now' | 'due') {
    if (this.#said.has(key)) return;
    this.#said.add(key);
    this.#give(grade);
  }

  #give(grade: 'now' | 'due') {
    if (this.shake && this.canShake) navigator.vibrate(grade === 'now' ? [400, 150, 400, 150, 400] : [200]);
    if (!this.sound || typeof AudioContext === 'undefined') return;
    this.#audio ??= new AudioContext();
    const times = grade === 'now' ? 3 : 1;
    for (let k = 0; k < times; k++) {
      const at = this.#audio.currentTime + k * 1.5 * LENGTH_S;
      const tone = this.#audio.createOscillator();
      const loud = this.#audio.createGain();
      tone.frequency.value = grade === 'now' ? HIGH_HZ : LOW_HZ;
      loud.gain.setValueAtTime(0.3, at);
      loud.gain.exponentialRampToValueAtTime(0.001, at + LENGTH_S);
      tone.connect(loud).connect(this.#audio.destination);
      tone.start(at);
      tone.stop(at + LENGTH_S);
    }
  }
}

export const heard = new Heard();
