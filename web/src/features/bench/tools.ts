/** What a calculator on the screen is made of. The arithmetic is the server's. */
import type { Schemas } from '$shared/api/client';

export type Value = string | number | boolean | null;
export interface Ask {
  key: string;
  label: string;
  type: 'number' | 'cells' | 'choice' | 'text' | 'table';
  unit?: string;
  scale?: number;
  digits?: number;
  optional?: boolean;
  options?: { value: string; label: string }[];
  columns?: { key: string; label: string; scale: number }[];
  start: unknown;
  /** The default of the product that it begins with. */
  begins?: string;
}
export interface Tool {
  name: string;
  title: string;
  asks: string;
  fields: Ask[];
  /** The answer in big words, and the figures beside it. */
  head: (a: Answer) => string;
  figures: (a: Answer) => [string, string][];
  caution?: string;
  /** What it can be filled from. */
  fill?: 'packs' | 'aircraft' | 'jobs';
  /** What is sent, where it is not the fields as they are. */
  body?: (typed: Record<string, unknown>, tool: Tool) => Record<string, unknown>;
  /** What of its answer can be kept with the pack that it was filled from. */
  keep?: {
    words: string;
    record: (
      a: Answer,
      typed: Record<string, unknown>,
    ) => { kind: Schemas['RecordIn']['kind']; figures: Record<string, unknown> };
  };
  /** What of its answer can stand with the model of that pack, for all packs without figures of their own. */
  keepModel?: (a: Answer) => Record<string, unknown>;
}
// An answer has the shape of its calculator; only the tool that asked knows it.
export type Answer = Record<string, unknown> & { picture?: Picture; working: Schemas['WorkingOut']; words?: string };
export interface Picture {
  x: string;
  y: string;
  lines: { name: string; points: [number, number][]; dashed: boolean }[];
  marks: { words: string; x: number | null; y: number | null; tone: 'plain' | 'good' | 'watch' | 'bad' }[];
}

export const num = (key: string, label: string, start: number | null, more: Partial<Ask> = {}): Ask => ({
  key,
  label,
  type: 'number',
  digits: 1,
  optional: start === null,
  start,
  ...more,
});
export const n = (v: unknown) => v as number;

/** The rows of a table that was typed; what was not read is null. Throws the key of a field that is not a number. */
export function rowsOf(f: Ask, value: unknown): Record<string, number | null>[] {
  return String(value ?? '')
    .split('\n')
    .filter((l) => l.trim())
    .map((l) => {
      const parts = l.trim().split(/[\s;]+/);
      return Object.fromEntries(
        f.columns!.map((c, k) => [
          c.key,
          parts[k] === undefined || /^[–-]$/.test(parts[k]!) ? null : number(parts[k]!, f.key) / c.scale,
        ]),
      );
    });
}

/** What was typed as the calculator takes it; throws the key of a field that is not a number. */
export function bodyOf(tool: Tool, typed: Record<string, unknown>): Record<string, unknown> {
  if (tool.body) {
    for (const f of tool.fields) sent(f, typed[f.key]);
    return tool.body(typed, tool);
  }
  const body: Record<string, unknown> = {};
  for (const f of tool.fields) {
    const value = sent(f, typed[f.key]);
    if (value === undefined) continue;
    const [head, inner] = f.key.split('.') as [string, string?];
    if (inner) body[head] = { ...(body[head] as object), [inner]: value };
    else body[head] = value;
  }
  return body;
}

function sent(f: Ask, value: unknown): unknown {
  if (f.type === 'cells') {
    const text = String(value ?? '').trim();
    if (!text) return undefined;
    return text.split(/[\s;]+/).map((t) => number(t, f.key) / (f.scale ?? 1));
  }
  if (f.type === 'table') {
    return rowsOf(f, value);
  }
  if (value === null || value === '' || value === undefined) return undefined;
  return value;
}

function number(text: string, key: string): number {
  const v = Number(text.replace(',', '.'));
  if (!Number.isFinite(v)) throw new Error(key);
  return v;
}
