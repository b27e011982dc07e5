import type { Schemas } from '$shared/api/client';

type Line = Schemas['LineOut'];

/** Lines of a pass with the same track, speeds, dose, height and tilt, as far as they are shown: one stands for all. */
export function alike(lines: Line[]): { first: Line; count: number }[] {
  const found = new Map<string, { first: Line; count: number }>();
  for (const line of lines) {
    const key = [
      Math.round(line.track_deg) % 360,
      line.ground_m_s.toFixed(1),
      line.air_m_s.toFixed(1),
      line.dose_l_ha?.toFixed(1) ?? '',
      line.part,
      line.above_m?.toFixed(0) ?? '',
      line.tilt_deg.toFixed(0),
    ].join('|');
    const group = found.get(key);
    if (group) group.count += 1;
    else found.set(key, { first: line, count: 1 });
  }
  return [...found.values()];
}

/** How lines are flown where that is not as the job says: height above ground, and where the camera looks. */
export function asFlown(line: Line, pass: string, height: (m: number) => string): string {
  const camera = line.tilt_deg ? `camera ${Math.round(90 - line.tilt_deg)}° below the horizon` : '';
  return [pass, line.above_m == null ? '' : height(line.above_m), camera].filter(Boolean).join(', ');
}
