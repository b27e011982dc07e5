/** Where the words of a map stand: beside their place, never over one another. */
export interface Label {
  /** Where it belongs, in points of the screen. */
  x: number;
  y: number;
  /** How large its words are, with their ground. */
  width: number;
  height: number;
  /** How far off its place it stands, so that the sign there stays in sight. */
  gap: number;
  /** The greater, the earlier it chooses. */
  weight: number;
  /** Words that are left away where there is no room; the others then stand farther off. */
  spare?: boolean;
  /** Which way it would rather stand: a direction on the screen, y down. */
  toward?: [number, number];
  /** It stands on its place or not at all. */
  on?: boolean;
}
export interface Box {
  left: number;
  top: number;
  right: number;
  bottom: number;
}
export type Spot = [dx: number, dy: number] | null;

const WAYS: [number, number][] = [
  [0, -1],
  [1, 0],
  [-1, 0],
  [0, 1],
  [1, -1],
  [-1, -1],
  [1, 1],
  [-1, 1],
];
/** How much farther off it is tried; up to here its colour and nearness still show where it belongs. */
const FARTHER = [0, 12, 26, 44, 64];

function boxAt(label: Label, dx: number, dy: number): Box {
  const [x, y] = [label.x + dx, label.y + dy];
  return { left: x - label.width / 2, right: x + label.width / 2, top: y - label.height / 2, bottom: y + label.height / 2 };
}

const apart = (a: Box, b: Box) => a.right <= b.left || b.right <= a.left || a.bottom <= b.top || b.bottom <= a.top;

/** Return where the middle of each label stands, off its place; null where it is left away. Signs are what no label covers. */
export function settle(labels: Label[], signs: Box[]): Spot[] {
  const spots: Spot[] = labels.map(() => null);
  const taken: Box[] = [];
  const order = labels.map((_, k) => k).sort((a, b) => labels[b]!.weight - labels[a]!.weight || a - b);
  for (const k of order) {
    const label = labels[k]!;
    for (const [dx, dy] of candidates(label)) {
      const box = boxAt(label, dx, dy);
      if (taken.every((t) => apart(t, box)) && signs.every((s) => apart(s, box))) {
        spots[k] = [dx, dy];
        taken.push(box);
        break;
      }
    }
    if (spots[k] === null && !label.spare && !label.on) {
      // Better over a sign than not at all; never over other words.
      const free = candidates(label).find(([dx, dy]) => taken.every((t) => apart(t, boxAt(label, dx, dy))));
      if (free) {
        spots[k] = free;
        taken.push(boxAt(label, ...free));
      }
    }
  }
  return spots;
}

function candidates(label: Label): [number, number][] {
  if (label.on) return [[0, 0]];
  const [tx, ty] = label.toward ?? [0, -1];
  const ways = [...WAYS].sort((a, b) => b[0] * tx + b[1] * ty - (a[0] * tx + a[1] * ty));
  const out: [number, number][] = [];
  for (const farther of label.spare ? FARTHER.slice(0, 2) : FARTHER)
    for (const [wx, wy] of ways) {
      const off = label.gap + farther;
      out.push([wx * (off + label.width / 2), wy * (off + label.height / 2)]);
    }
  return out;
}
