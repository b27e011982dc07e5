import createClient from 'openapi-fetch';
import type { components, paths } from './schema';

export type Schemas = components['schemas'];

/** A refusal as the server tells it: one sentence, and the field it belongs to. */
export interface Problem {
  status: number;
  code: string;
  detail: string;
  field: string;
  current?: unknown;
  /** What is wrong row by row, where many rows were sent at once. */
  problems?: { row: number; field: string; detail: string }[];
}

function cookie(name: string): string {
  return document.cookie.match(new RegExp(`(?:^|; )${name}=([^;]*)`))?.[1] ?? '';
}

export const client = createClient<paths>({
  baseUrl: window.location.origin,
  credentials: 'same-origin',
  fetch: (request) => globalThis.fetch(request),
});
client.use({
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', cookie('csrftoken'));
    return request;
  },
});

export const listeners = { signedOut: () => {} };

/**
 * Wait for a call; the caller names the schema that comes back (the client's own inference turns pairs into lists).
 * Returns its data or its problem, never throws. A lost link is a problem too.
 */
export async function ask<T>(
  call: Promise<{ data?: unknown; error?: unknown; response: Response }>,
): Promise<{ data: T; problem: null } | { data: null; problem: Problem }> {
  try {
    const { data, error, response } = await call;
    if (response.ok && data !== undefined) return { data: data as T, problem: null };
    const told = (error ?? {}) as Partial<Problem>;
    if (response.status === 401) listeners.signedOut();
    return {
      data: null,
      problem: {
        status: response.status,
        code: told.code ?? 'unexpected',
        detail: told.detail ?? 'The server did not answer as expected. Try again.',
        field: told.field ?? '',
        current: told.current,
        problems: told.problems,
      },
    };
  } catch {
    return {
      data: null,
      problem: {
        status: 0,
        code: 'offline',
        detail: 'No link to the server. What you entered stays here; try again when the link is back.',
        field: '',
      },
    };
  }
}
