/** A search as it goes back to the server: what people enter of it, without what follows from that. */
import { call } from '$shared/api/call';
import type { Schemas } from '$shared/api/client';

type Search = Schemas['SearchOut'];
type What = Schemas['SearchFields'];

export function whatOf(s: Search): What & { segments: NonNullable<What['segments']> } {
  return {
    point: s.point,
    seen_at: s.seen_at,
    radius_m: s.radius_m,
    home: s.home,
    rest: s.rest,
    weights: s.weights,
    estimates: s.estimates,
    paths: s.paths,
    waters: s.waters,
    aircraft_ids: s.aircraft_ids,
    sensor: s.sensor as What['sensor'],
    speed_m_s: s.speed_m_s,
    height_m: s.height_m,
    law: s.law as What['law'],
    widths: s.widths,
    teams: s.teams,
    until: s.until,
    segments: s.segments.map((x) => ({
      id: x.id,
      name: x.name,
      ring: x.ring,
      cover: x.cover as 'open',
      access: x.access,
      hazards: x.hazards,
      share: x.typed,
    })),
  };
}

/** Save a search with some of it changed, over the version that was seen. */
export function saved(s: Search, over: Partial<What>) {
  return call('PUT', '/api/searches/{search_id}', {
    params: { path: { search_id: s.id }, query: { version: s.version } },
    body: { name: s.name, person: s.person, kind_id: s.kind_id, what: { ...whatOf(s), ...over } },
  });
}
