/** What was typed into a form and not sent: it stays on this device, bound to the person, and stands in the form again. */
import { session } from '../session.svelte';

const PREFIX = 'gentle-quarry-form';

/** A form's own: whether something typed earlier came back, and how it goes. */
export interface FormDraft {
  readonly back: boolean;
  /** The server has it, or nobody wants it: nothing is kept, and nothing more until the form is opened anew. */
  forget(): void;
  /** The server has what stands here now, and the form stays open: what is typed from here on is kept again. */
  saved(): void;
  /** Put the form as it began, without what came back. */
  anew(): void;
}

/**
 * Keep what stands in a form from the first change on. To be called while the form's component is made.
 *
 * `read` gives all that was typed as plain data, `put` takes it back. Until something differs from how the form begins,
 * nothing is kept.
 */
export function formDraft<T>(name: string, read: () => T, put: (typed: T) => void): FormDraft {
  const key = `${PREFIX}/${session.me?.id ?? 0}/${name}`;
  let begins = JSON.stringify(read());
  let back = $state(false);
  let over = false;

  function forget() {
    over = true;
    try {
      localStorage.removeItem(key);
    } catch {
      // Nothing was kept.
    }
  }
  try {
    const kept = localStorage.getItem(key);
    if (kept && kept !== begins) {
      put(JSON.parse(kept) as T);
      back = true;
    }
  } catch {
    // What cannot be read is not put into a form.
  }
  $effect(() => {
    const now = JSON.stringify(read());
    if (over) return;
    try {
      if (now === begins) localStorage.removeItem(key);
      else localStorage.setItem(key, now);
    } catch {
      // A device that keeps nothing still has it on the screen.
    }
  });
  return {
    get back() {
      return back;
    },
    forget,
    saved() {
      begins = JSON.stringify(read());
      back = false;
      try {
        localStorage.removeItem(key);
      } catch {
        // Nothing was kept.
      }
    },
    anew() {
      put(JSON.parse(begins) as T);
      back = false;
    },
  };
}
