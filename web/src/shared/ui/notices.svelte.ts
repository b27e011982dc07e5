/** Short words at the foot of the screen: what happened, and how to take it back. */
interface Notice {
  id: number;
  text: string;
  undo?: () => void;
  bad?: boolean;
}

class Notices {
  list = $state<Notice[]>([]);
  #next = 1;
  #held = false;

  say(text: string, more: { undo?: () => void; bad?: boolean } = {}) {
    const id = this.#next++;
    this.list = [...this.list.slice(-2), { id, text, ...more }];
    this.#dropAfter(id, more.undo || more.bad ? 12_000 : 5_000);
  }

  /** While somebody points at them or has the keyboard in them, none goes away by itself. */
  hold(held: boolean) {
    this.#held = held;
  }

  #dropAfter(id: number, ms: number) {
    setTimeout(() => (this.#held ? this.#dropAfter(id, 3_000) : this.drop(id)), ms);
  }

  drop(id: number) {
    // What is taken away under the pointer or the keyboard tells of no leaving.
    this.#held = false;
    this.list = this.list.filter((n) => n.id !== id);
  }
}

export const notices = new Notices();
