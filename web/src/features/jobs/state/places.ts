/** A longitude in the turn around another: the same place, at most half a turn away. */
export const turned = (lon: number, around: number): number => around + ((((lon - around + 540) % 360) + 360) % 360) - 180;

/** The places of a line that came as whole numbers: its first point from the south-western corner, then steps. */
export function placesOf(line: number[], west: number, south: number, quantum: number): [number, number][] {
  const out: [number, number][] = [];
  let [x, y] = [0, 0];
  for (let k = 0; k + 1 < line.length; k += 2) {
    x += line[k]!;
    y += line[k + 1]!;
    out.push([west + x * quantum, south + y * quantum]);
  }
  return out;
}
