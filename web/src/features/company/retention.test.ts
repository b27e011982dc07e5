import { fireEvent, render, screen, waitFor } from '@testing-library/svelte';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { lastTo, serve } from '../../test-server';
import { session } from '$shared/session.svelte';
import Retention from './Retention.svelte';
import ServerScreen from './ServerScreen.svelte';

type Me = NonNullable<typeof session.me>;
beforeEach(() => (session.me = { signed_in: true, rights: ['company:write'], dates: 'day', time_zone: '' } as unknown as Me));
afterEach(() => (session.me = null));
const KIND = { name: 'sign_ins', words: 'Sign-ins and refusals', stays: '', days: null, due: 0, oldest: '2024-05-01T08:00:00Z' };

describe('how long data is kept', () => {
  it('counts what would go before anything is set, and asks', async () => {
    const seen = serve({
      'GET /api/company/retention': [KIND],
      'POST /api/company/retention/look': [{ ...KIND, days: 365, due: 1234 }],
      'PUT /api/company/retention': [{ ...KIND, days: 365, due: 1234 }],
    });
    render(Retention);
    await fireEvent.change(await screen.findByLabelText('Keep Sign-ins and refusals'), { target: { value: '365' } });
    expect(await screen.findByText('1 234')).toBeVisible();
    expect(seen.some((a) => a.method === 'PUT')).toBe(false);
    await fireEvent.click(screen.getByRole('button', { name: 'Save' }));
    expect(screen.getByText(/1 234 of: Sign-ins and refusals/)).toBeVisible();
    expect(seen.some((a) => a.method === 'PUT')).toBe(false);
    await fireEvent.click(screen.getByRole('button', { name: 'Let them go' }));
    await waitFor(() => expect(seen.find((a) => a.method === 'PUT')?.body).toEqual({ days: { sign_ins: 365 } }));
  });

  it('is taken back by Cancel', async () => {
    const seen = serve({ 'GET /api/company/retention': [KIND], 'POST /api/company/retention/look': [{ ...KIND, days: 30 }] });
    render(Retention);
    await fireEvent.change(await screen.findByLabelText('Keep Sign-ins and refusals'), { target: { value: '30' } });
    await fireEvent.click(await screen.findByRole('button', { name: 'Cancel' }));
    await waitFor(() => expect(lastTo(seen, /retention$/)?.method).toBe('GET'));
    expect(screen.queryByRole('button', { name: 'Save' })).toBeNull();
  });
});

describe('the server', () => {
  it('says what is wrong and what helps, by more than colour', async () => {
    const good = { name: 'database', ok: true, found: 'PostgreSQL 15', mend: '' };
    const bad = { name: 'backup', ok: false, found: 'none found', mend: 'Run each day: quarry backup' };
    serve({ 'GET /api/server': { version: '0.1.0', checks: [good, bad] } });
    render(ServerScreen);
    expect(await screen.findByText(/1 of 2 checks needs somebody/)).toBeVisible();
    expect(screen.getByText('✕ not good')).toBeVisible();
    expect(screen.getByText('Run each day: quarry backup')).toBeVisible();
  });
});
