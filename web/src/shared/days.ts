import type { Schemas } from './api/client';

/** A type that fits another and has nothing beside it: the server refuses a figure that it does not know. */
type Only<T, Wanted> = Exclude<keyof T, keyof Wanted> extends never ? Wanted : never;

/** What of a day is entered, as the server takes it back. */
export function figuresOf(day: Schemas['DayOut']): Schemas['DayFigures'] {
  const { id: _id, version: _version, archived: _archived, running: _running, ...figures } = day;
  return figures satisfies Only<typeof figures, Schemas['DayFigures']>;
}

/** The days that something can still be put into: those to come, the next first; then those that are past and open. */
export function openDays<T extends { date: string; running: string }>(days: readonly T[], today: string): T[] {
  const open = days.filter((d) => d.running !== 'closed');
  const coming = open.filter((d) => d.date >= today).sort((a, b) => a.date.localeCompare(b.date));
  return [...coming, ...open.filter((d) => d.date < today).sort((a, b) => b.date.localeCompare(a.date))];
}
