/** What is being drawn, in numbers: for the eye while drawing; the plan works with its own, exact ones. */
import { getArea, getDistance } from 'ol/sphere';
import { Polygon } from 'ol/geom';
import { show } from '$shared/format/units';

type Place = number[];

export interface Drawn {
  /** The leg that ends at the pointer. */
  leg_m: number;
  bearing_deg: number;
  /** All legs so far; of an area the way round. */
  length_m: number;
  area_ha: number | null;
}

/** The bearing at the start of the shortest way between two places in degrees: 0 north, 90 east. */
export function bearing(from: Place, to: Place): number {
  const rad = Math.PI / 180;
  const [lat1, lat2, dLon] = [from[1]! * rad, to[1]! * rad, (to[0]! - from[0]!) * rad];
  const y = Math.sin(dLon) * Math.cos(lat2);
  const x = Math.cos(lat1) * Math.sin(lat2) - Math.sin(lat1) * Math.cos(lat2) * Math.cos(dLon);
  return (Math.atan2(y, x) / rad + 360) % 360;
}

/** Measure places in degrees, the last one under the pointer; null before there is a leg. */
export function measure(places: Place[], closed: boolean): Drawn | null {
  if (places.length < 2) return null;
  const [from, to] = places.slice(-2) as [Place, Place];
  let length_m = 0;
  for (let k = 1; k < places.length; k++) length_m += getDistance(places[k - 1]!, places[k]!);
  const area = closed && places.length > 2;
  if (area) length_m += getDistance(to, places[0]!);
  return {
    leg_m: getDistance(from, to),
    bearing_deg: bearing(from, to),
    length_m,
    area_ha: area ? getArea(new Polygon([[...places, places[0]!]]), { projection: 'EPSG:4326' }) / 10_000 : null,
  };
}

/** The same in words. */
export function inWords(drawn: Drawn, units: 'metric' | 'imperial'): string {
  const leg = `leg ${show(drawn.leg_m, 'm', units)} at ${Math.round(drawn.bearing_deg) % 360}°`;
  if (drawn.area_ha !== null)
    return `${leg}, round ${show(drawn.length_m, 'm', units)}, area ${show(drawn.area_ha, 'ha', units)}`;
  return `${leg}, all ${show(drawn.length_m, 'm', units)}`;
}
