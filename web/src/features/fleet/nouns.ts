/** The nouns of the fleet as the server describes them: forms and tables are drawn from that. */
import type { Schemas } from '$shared/api/client';

export type Fleet = Schemas['FleetOut'];
export type Form = Schemas['NounOut'];
export type Field = Schemas['FieldOut'];
export type Noun = Form['noun'];
export type Row = { id: string; version: number; archived: boolean; name: string } & Record<string, unknown>;

/** The things of a noun, archived ones too. */
export const thingsOf = (fleet: Fleet | null, noun: Noun): Row[] =>
  (fleet?.[noun.replace('-', '_') as keyof Fleet] ?? []) as unknown as Row[];

/** Columns of the table of a noun: its name stands first, notes, rates and ticks stand in the form alone. */
export const columnsOf = (form: Form): Field[] =>
  form.figures.filter((f) => f.key !== 'name' && !f.aside && f.kind !== 'yes' && f.kind !== 'rates' && f.kind !== 'several');

export const isNumber = (f: Field): boolean => f.kind === 'number' || f.kind === 'whole';
