/** What is folded away beside and below the map, kept on this device. */
type Part = 'below' | 'side';
type Curves = 'energy' | 'height' | 'tank';
const KEY = 'gentle-quarry-folds';

export class Folds {
  curves = $state<Curves>('energy');
  #folded = $state.raw<Part[]>(kept());

  folded(part: Part): boolean {
    return this.#folded.includes(part);
  }

  turn(part: Part) {
    this.#folded = this.folded(part) ? this.#folded.filter((p) => p !== part) : [...this.#folded, part];
    try {
      localStorage.setItem(KEY, JSON.stringify(this.#folded));
    } catch {
      // Unfolded again the next time.
    }
  }

  /** Show curves, unfolding what was folded; those that are shown fold. */
  show(curves: Curves) {
    if (this.folded('below') || this.curves === curves) this.turn('below');
    this.curves = curves;
  }
}

function kept(): Part[] {
  try {
    const said: unknown = JSON.parse(localStorage.getItem(KEY) ?? '[]');
    return Array.isArray(said) ? said.filter((p): p is Part => p === 'below' || p === 'side') : [];
  } catch {
    return [];
  }
}
