import { fireEvent, render, screen, waitFor } from '@testing-library/svelte';
import { afterEach, describe, expect, it } from 'vitest';
import { page, Refusal, serve } from '../../test-server';
import { session } from '$shared/session.svelte';
import HistoryScreen from './HistoryScreen.svelte';
import { actionWords, changes } from './words';

type Me = NonNullable<typeof session.me>;
const be = (rights: string[]) => (session.me = { signed_in: true, rights } as unknown as Me);
afterEach(() => (session.me = null));
const LINE = {
  id: 1,
  at: '2026-05-01T08:00:00Z',
  who: 'lena',
  action: 'person.changed',
  thing: 'person',
  thing_id: '4',
  label: 'otto',
  before: { role: 'viewer' },
  after: { role: 'pilot' },
};

describe('the history', () => {
  it('says who did what to whom, from what to what', async () => {
    be(['history:read']);
    serve({ 'GET /api/history': page([LINE]), 'GET /api/people': [] });
    render(HistoryScreen);
    expect(await screen.findByText('person changed')).toBeVisible();
    expect(screen.getByText('role: viewer → pilot')).toBeVisible();
    expect(screen.getByText('1 line')).toBeVisible();
    expect(screen.getByRole('button', { name: 'Export as CSV' })).toBeVisible();
    expect(screen.getByRole('option', { name: 'sign-ins' })).toBeInTheDocument();
  });

  it('shows who does not lead neither sign-ins nor the export', async () => {
    be([]);
    serve({ 'GET /api/history': page([]), 'GET /api/people': [] });
    render(HistoryScreen);
    expect(await screen.findByText('Nothing has been done yet.')).toBeVisible();
    expect(screen.queryByRole('button', { name: 'Export as CSV' })).toBeNull();
    expect(screen.queryByRole('option', { name: 'sign-ins' })).toBeNull();
  });

  it('searches, and an empty search says what helps', async () => {
    be([]);
    const seen = serve({ 'GET /api/history': page([]), 'GET /api/people': [] });
    render(HistoryScreen);
    await fireEvent.input(screen.getByLabelText('Words'), { target: { value: 'otto' } });
    expect(await screen.findByText('Nothing is found. Widen the search.')).toBeVisible();
    await waitFor(() => expect(seen.filter((a) => a.path === '/api/history').length).toBeGreaterThan(0));
  });

  it('is never empty because it was refused', async () => {
    be([]);
    serve({ 'GET /api/history': new Refusal(503, '', 'The database does not answer.'), 'GET /api/people': [] });
    render(HistoryScreen);
    expect(await screen.findByText(/The database does not answer/)).toBeVisible();
    expect(screen.queryByText('Nothing has been done yet.')).toBeNull();
  });
});

describe('its words', () => {
  it.each([
    ['session.refused', 'wrong password tried'],
    ['pack.grounded', 'pack grounded'],
    ['charger-model.added', 'charger model added'],
  ])('%s is "%s"', (action, words) => expect(actionWords(action)).toBe(words));

  it.each([
    [{ a: 1 }, { a: 2 }, 'a: 1 → 2'],
    [null, { flies_now: true, note: '' }, 'flies now: yes; note: —'],
    [{ a: 0.123456 }, null, 'a: 0.1235 → removed'],
    [null, { ring: [1, 2, 3, 4], more: { a: 1 } }, 'ring: 4 entries; more: 1 entry'],
    [null, Object.fromEntries('abcdefgh'.split('').map((k) => [k, 1])), 'a: 1; b: 1; c: 1; d: 1; 4 more'],
    [null, { id: 'x', job_id: 'y', name: 'North' }, 'name: North'],
    [null, null, ''],
  ])('%o to %o', (before, after, words) => expect(changes(before, after)).toBe(words));
});
