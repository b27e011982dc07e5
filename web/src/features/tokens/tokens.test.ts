import { fireEvent, render, screen, waitFor } from '@testing-library/svelte';
import { afterEach, describe, expect, it } from 'vitest';
import { lastTo, serve } from '../../test-server';
import { session } from '$shared/session.svelte';
import TokensScreen from './TokensScreen.svelte';

const TOKEN = {
  id: 'a1',
  name: 'gateway in the van',
  scope: 'telemetry',
  scope_words: 'Report what happens on days',
  day_id: null,
  hint: 'gqt_ab12',
  made_by: 'lena',
  made_at: '2026-05-01T08:00:00Z',
  expires_at: '2126-05-01T08:00:00Z',
  used_at: null,
  revoked_at: null,
  good: true,
};
type Me = NonNullable<typeof session.me>;
const be = (rights: string[]) => (session.me = { signed_in: true, rights, live_day: null } as unknown as Me);
afterEach(() => {
  session.me = null;
  localStorage.clear();
});

describe('tokens', () => {
  it('shows the secret of a new one once', async () => {
    be(['tokens:write']);
    const seen = serve({ 'GET /api/tokens': [], 'POST /api/tokens': { token: TOKEN, secret: 'gqt_the-whole-secret' } });
    render(TokensScreen);
    expect(await screen.findByText(/None yet/)).toBeVisible();
    await fireEvent.click(screen.getByRole('button', { name: 'Make a token' }));
    await fireEvent.input(screen.getByLabelText(/What for/), { target: { value: 'gateway in the van' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Make token' }));
    expect(await screen.findByText('gqt_the-whole-secret')).toBeVisible();
    expect(lastTo(seen, /tokens$/)).toBeDefined();
    expect(seen.find((a) => a.method === 'POST')?.body).toEqual({
      name: 'gateway in the van',
      scope: 'telemetry',
      days: 90,
      day_id: null,
    });
    await fireEvent.click(screen.getByRole('button', { name: 'Done' }));
    await waitFor(() => expect(screen.queryByText('gqt_the-whole-secret')).toBeNull());
  });

  it('says what each may and how it stands, and asks before it revokes', async () => {
    be(['tokens:write']);
    const gone = { ...TOKEN, id: 'a2', name: 'old', good: false, revoked_at: '2026-06-01T08:00:00Z' };
    const seen = serve({ 'GET /api/tokens': [TOKEN, gone], 'DELETE /api/tokens/a1': { ...TOKEN, good: false } });
    render(TokensScreen);
    expect(await screen.findByText('revoked 1 Jun')).toBeVisible();
    expect(screen.queryByRole('button', { name: 'Revoke old' })).toBeNull();
    await fireEvent.click(screen.getByRole('button', { name: 'Revoke gateway in the van' }));
    expect(seen.some((a) => a.method === 'DELETE')).toBe(false);
    await fireEvent.click(screen.getByRole('button', { name: 'Revoke token' }));
    await waitFor(() => expect(seen.some((a) => a.method === 'DELETE')).toBe(true));
  });
});
