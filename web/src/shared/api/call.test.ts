import { describe, expect, it, vi } from 'vitest';
import { call } from './call';
import { listeners } from './client';

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
  it('give the data or the problem, never both', async () => {
    answering(200, { signed_in: false });
    expect(await call('GET', '/api/me')).toEqual({ data: { signed_in: false }, problem: null });
    answering(422, { code: 'invalid', detail: 'No.', field: 'name' });
    const { data, problem } = await call('GET', '/api/me');
    expect(data).toBeNull();
    expect(problem).toMatchObject({ status: 422, code: 'invalid', detail: 'No.', field: 'name' });
  });

  it('turn a lost link into a problem that says nothing is lost', async () => {
    answering(0, null);
    const { problem } = await call('GET', '/api/me');
    expect(problem).toMatchObject({ status: 0, code: 'offline' });
    expect(problem?.detail).toContain('stays here');
  });

  it('tell who listens that the session has ended', async () => {
    const told = vi.fn();
    listeners.signedOut = told;
    answering(401, { code: 'signed_out', detail: 'Sign in first.' });
    await call('GET', '/api/me');
    expect(told).toHaveBeenCalledOnce();
    listeners.signedOut = () => {};
  });

  it('carry the token of the page on every write and on no read', async () => {
    document.cookie = 'csrftoken=abc123';
    const seen = answering(200, { signed_in: false });
    await call('GET', '/api/me');
    await call('PATCH', '/api/me', { body: { light: 'sun' } });
    expect(seen.map((r) => r.headers.get('X-CSRFToken'))).toEqual([null, 'abc123']);
  });

  it('take an answer without content for what it is', async () => {
    vi.stubGlobal('fetch', async () => new Response(null, { status: 204 }));
    expect(await call('DELETE', '/api/logbook/files/{file_id}', { params: { path: { file_id: 'x' } } })).toEqual({
      data: null,
      problem: null,
    });
  });

  it('have the type of their path: another does not compile', async () => {
    answering(200, { items: [], next: null, total: 0 });
    const { data } = await call('GET', '/api/jobs');
    expect(data?.items).toEqual([]);
    // @ts-expect-error a page of jobs is no list
    expect(data?.length).toBeUndefined();
    // @ts-expect-error there is no such path
    await call('GET', '/api/nothing');
    // @ts-expect-error a job has an id in its path
    await call('GET', '/api/jobs/{job_id}');
  });
});
