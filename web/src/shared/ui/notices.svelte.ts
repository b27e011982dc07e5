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

  say(text: string, more: { undo?: () => void; bad?: boolean } = {}) {
    const id = this.#next++;
    this.list = [...this.list.slice(-2), { id, text, ...more }];
    setTimeout(() => this.drop(id), more.undo || more.bad ? 12_000 : 5_000);
  }

  drop(id: number) {
    this.list = this.list.filter((n) => n.id !== id);
  }
}

export const notices = new Notices();
