import { afterEach, describe, expect, it, vi } from 'vitest';
import { ask, client, listeners, type Schemas } from './client';

function answering(status: number, body: unknown) {
  const seen: Request[] = [];
  vi.stubGlobal('fetch', async (request: Request) => {
    seen.push(request);
    if (status === 0) throw new TypeError('failed to fetch');
    return new Response(JSON.stringify(body), { status, headers: { 'Content-Type': 'application/json' } });
  });
  return seen;
}

describe('calls to the server', () => {
  afterEach(() => vi.unstubAllGlobals());

  it('give the data or the problem, never both', async () => {
    answering(200, { signed_in: false });
    expect(await ask<Schemas['Me']>(client.GET('/api/me'))).toEqual({ data: { signed_in: false }, problem: null });
    answering(422, { code: 'invalid', detail: 'No.', field: 'name' });
    const { data, problem } = await ask<Schemas['Me']>(client.GET('/api/me'));
    expect(data).toBeNull();
    expect(problem).toMatchObject({ status: 422, code: 'invalid', detail: 'No.', field: 'name' });
  });

  it('turn a lost link into a problem that says nothing is lost', async () => {
    answering(0, null);
    const { problem } = await ask<Schemas['Me']>(client.GET('/api/me'));
    expect(problem).toMatchObject({ status: 0, code: 'offline' });
    expect(problem?.detail).toContain('stays here');
  });

  it('tell who listens that the session has ended', async () => {
    const told = vi.fn();
    listeners.signedOut = told;
    answering(401, { code: 'signed_out', detail: 'Sign in first.' });
    await ask<Schemas['Me']>(client.GET('/api/me'));
    expect(told).toHaveBeenCalledOnce();
    listeners.signedOut = () => {};
  });

  it('carry the token of the page on every write and on no read', async () => {
    document.cookie = 'csrftoken=abc123';
    const seen = answering(200, { signed_in: false });
    await ask<Schemas['Me']>(client.GET('/api/me'));
    await ask<Schemas['Me']>(client.PATCH('/api/me', { body: { light: 'sun' } }));
    expect(seen.map((r) => r.headers.get('X-CSRFToken'))).toEqual([null, 'abc123']);
  });
});
