/** A stand-in for the server in component tests: answers by method and path, and remembers what it was asked. */
import { vi } from 'vitest';

export interface Asked {
  method: string;
  path: string;
  body: unknown;
}
type Answer = unknown | ((asked: Asked) => unknown);

export class Refusal {
  constructor(
    readonly status: number,
    readonly field: string,
    readonly detail: string,
    readonly more: Record<string, unknown> = {},
  ) {}
}

export function serve(answers: Record<string, Answer>): Asked[] {
  const seen: Asked[] = [];
  vi.stubGlobal('fetch', async (request: Request) => {
    const path = new URL(request.url).pathname;
    const text = request.method === 'GET' ? '' : await request.text();
    const asked = { method: request.method, path, body: text.startsWith('{') ? JSON.parse(text) : text };
    seen.push(asked);
    const key = Object.keys(answers).find((k) => {
      const [method, pattern] = k.split(' ') as [string, string];
      return method === request.method && new RegExp(`^${pattern.replaceAll('*', '[^/]+')}$`).test(path);
    });
    const answer = key === undefined ? new Refusal(404, '', `nothing at ${asked.method} ${path}`) : answers[key];
    const told = typeof answer === 'function' ? await answer(asked) : answer;
    const refused = told instanceof Refusal;
    const body = refused ? { code: 'invalid', detail: told.detail, field: told.field, ...told.more } : told;
    return new Response(JSON.stringify(body), {
      status: refused ? told.status : 200,
      headers: { 'Content-Type': 'application/json' },
    });
  });
  return seen;
}

/** What was sent last to a path. */
export function lastTo(seen: Asked[], path: RegExp): Asked | undefined {
  return seen.filter((a) => path.test(a.path)).at(-1);
}

/** A whole list on one page, as the server gives lists that come in pages. */
export const page = <T>(items: T[]) => ({ items, next: null, total: items.length });
