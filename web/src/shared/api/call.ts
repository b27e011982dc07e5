import type { MaybeOptionalInit } from 'openapi-fetch';
import { client, listeners, type Problem } from './client';
import type { paths } from './schema';

type Method = 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';
type Operation<P extends keyof paths, M extends Method> = paths[P][Lowercase<M>];

/** The paths that take a method. */
export type PathOf<M extends Method> = {
  [P in keyof paths]: Operation<P, M> extends { responses: unknown } ? P : never;
}[keyof paths];

type Content<R> = R extends { content: { 'application/json': infer T } } ? T : null;
type Good<R> = { [K in keyof R]: K extends 200 | 201 | 202 | 204 ? Content<R[K]> : never }[keyof R];

/** What comes back from a path and a method where all went well; null where nothing does. */
export type Answer<M extends Method, P extends PathOf<M>> = Operation<P, M> extends { responses: infer R } ? Good<R> : never;

type Init<M extends Method, P extends PathOf<M>> = MaybeOptionalInit<paths[P], Lowercase<M>>;
type Given<I> = Record<never, never> extends I ? [I?] : [I];

/** Data or a problem, never both. */
export type Result<T> = { data: T; problem: null } | { data: null; problem: Problem };

/**
 * Ask the server. The answer has the type that the API gives this path and method, so that asking for another does not compile.
 * Never throws: a refusal and a lost link are problems.
 */
export async function call<M extends Method, P extends PathOf<M>>(
  method: M,
  path: P,
  ...given: Given<Init<M, P>>
): Promise<Result<Answer<M, P>>> {
  const send = client.request as unknown as (
    method: string,
    path: P,
    init?: unknown,
  ) => Promise<{ data?: unknown; error?: unknown; response: Response }>;
  try {
    const { data, error, response } = await send(method.toLowerCase(), path, given[0]);
    if (response.ok && (data !== undefined || response.status === 204))
      return { data: (data ?? null) as Answer<M, P>, problem: null };
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
