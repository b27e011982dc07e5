import type { Schemas } from '$shared/api/client';

type Line = Schemas['LineOut'];

/** Lines with the same track, speeds and dose, as far as they are shown: one stands for all. */
export function alike(lines: Line[]): { first: Line; count: number }[] {
  const found = new Map<string, { first: Line; count: number }>();
  for (const line of lines) {
    const key = [
      Math.round(line.track_deg) % 360,
      line.ground_m_s.toFixed(1),
      line.air_m_s.toFixed(1),
      line.dose_l_ha?.toFixed(1) ?? '',
    ].join('|');
    const group = found.get(key);
    if (group) group.count += 1;
    else found.set(key, { first: line, count: 1 });
  }
  return [...found.values()];
}
