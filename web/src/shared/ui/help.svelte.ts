import { untrack } from 'svelte';

/** What keys do, by screen; the palette and the sheet of keys read from here. */
export interface Action {
  id: string;
  label: string;
  keys?: string;
  run: () => void;
}

class Help {
  palette = $state(false);
  keys = $state(false);
  #byScreen = $state.raw<Record<string, Action[]>>({});

  #wanted = false;

  /** Whether the palette or the sheet of keys was ever asked for. */
  get wanted(): boolean {
    return (this.#wanted ||= this.palette || this.keys);
  }

  get actions(): Action[] {
    return Object.values(this.#byScreen).flat();
  }

  /** Offer a screen's actions while it is shown; returns how to take them back. */
  offer(screen: string, actions: Action[]): () => void {
    this.#byScreen = { ...untrack(() => this.#byScreen), [screen]: actions };
    return () => {
      const rest = { ...untrack(() => this.#byScreen) };
      delete rest[screen];
      this.#byScreen = rest;
    };
  }

  /** Handle a key press: fields keep their keys, everything else looks for its action. */
  press(event: KeyboardEvent) {
    if (event.defaultPrevented) return;
    const target = event.target as HTMLElement | null;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
      event.preventDefault();
      this.palette = true;
      return;
    }
    if (target?.closest('input, textarea, select, [contenteditable], [role="dialog"], [role="menu"]')) return;
    const name = [
      event.ctrlKey || event.metaKey ? 'Ctrl ' : '',
      event.shiftKey && event.key.length > 1 ? 'Shift ' : '',
      event.key.length === 1 ? event.key.toUpperCase() : event.key,
    ].join('');
    if (event.key === '?') {
      this.keys = true;
      return;
    }
    const found = this.actions.find((a) => a.keys?.split(' / ').includes(name));
    if (found) {
      event.preventDefault();
      found.run();
    }
  }
}

export const help = new Help();
