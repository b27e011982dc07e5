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

export const listeners = { signedOut: () => {}, signedIn: new Set<() => void>() };
