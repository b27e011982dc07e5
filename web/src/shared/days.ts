import type { Schemas } from './api/client';

/** What of a day is entered, as the server takes it back. */
export function figuresOf(day: Schemas['DayOut']): Schemas['DayFigures'] {
  const { id: _id, version: _version, archived: _archived, running: _running, ...figures } = day;
  return figures;
}
