/** The crew of each aircraft, counted from one: those that share one first, then each that has people of its own. */
export function crewNumbers(crews: string[][], aircraft: string[]): Map<string, number> {
  const found = new Map<string, number>();
  const there = crews.map((c) => c.filter((a) => aircraft.includes(a))).filter((c) => c.length > 1);
  const shared = new Set(there.flat());
  let next = 1;
  for (const a of aircraft) {
    if (found.has(a)) continue;
    const mine = shared.has(a) ? there.find((c) => c.includes(a))! : [a];
    for (const x of mine) found.set(x, next);
    next += 1;
  }
  return found;
}

/** The crews once one aircraft has changed to another. */
export const crewsWith = (numbers: Map<string, number>, aircraft: string, crew: number, before: string[][]): string[][] =>
  crewsFrom(new Map(numbers).set(aircraft, crew), before);

/** The crews that fly several aircraft, from the crew of each; aircraft that are not in the day keep theirs. */
export function crewsFrom(numbers: Map<string, number>, before: string[][]): string[][] {
  const found = new Map<number, string[]>();
  for (const [a, n] of numbers) found.set(n, [...(found.get(n) ?? []), a]);
  const elsewhere = before.map((c) => c.filter((a) => !numbers.has(a))).filter((c) => c.length > 1);
  return [...[...found.values()].filter((c) => c.length > 1), ...elsewhere];
}
