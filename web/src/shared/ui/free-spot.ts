/** Where something may lie over a screen without covering what can be tapped. */
export interface Rect {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

const STEP = 8;
const EDGE = 12;

/** Return the spot for a box of a size: as low as possible, rather in the middle; where all are taken, the one that covers least. */
export function freeSpot(size: { width: number; height: number }, view: { width: number; height: number }, taken: Rect[]) {
  const columns = [(view.width - size.width) / 2, view.width - size.width - EDGE, EDGE].map((x) => Math.max(0, x));
  let best = { left: columns[0]!, top: Math.max(0, view.height - size.height - EDGE), covered: Infinity };
  for (let top = best.top; top >= EDGE; top -= STEP)
    for (const left of columns) {
      const covered = taken.filter(
        (t) => t.left < left + size.width && left < t.right && t.top < top + size.height && top < t.bottom,
      ).length;
      if (!covered) return { left, top };
      if (covered < best.covered) best = { left, top, covered };
    }
  return { left: best.left, top: best.top };
}

const TAPPED = 'button, a[href], input, select, textarea, summary, [role="button"], [role="tab"], [role="option"]';

/** What can be tapped on the screen as it stands, but for what lies inside `but`. */
export function tappable(but: Element): Rect[] {
  const out: Rect[] = [];
  for (const e of document.querySelectorAll(TAPPED)) {
    if (but.contains(e)) continue;
    const r = e.getBoundingClientRect();
    if (r.width && r.height && r.bottom > 0 && r.top < innerHeight && r.right > 0 && r.left < innerWidth) out.push(r);
  }
  return out;
}
