import { fireEvent, render, screen, waitFor } from '@testing-library/svelte';
import { afterEach, describe, expect, it } from 'vitest';
import { session } from '$shared/session.svelte';
import { lastTo, Refusal, serve } from '../../test-server';
import OwnPassword from './OwnPassword.svelte';

afterEach(() => {
  session.me = null;
  localStorage.clear();
});

describe('a password that was given', () => {
  it('is replaced by one of their own, with a refusal at its field', async () => {
    let refused = true;
    const seen = serve({
      'POST /api/me/password': () => {
        return refused ? new Refusal(422, 'new', 'Too short.') : { first_password: false };
      },
      'GET /api/me': { signed_in: true, first_password: false, rights: [], units: 'metric', light: 'day', gloves: false },
    });
    render(OwnPassword);
    await fireEvent.input(screen.getByLabelText('Password you were given'), { target: { value: 'given-one' } });
    await fireEvent.input(screen.getByLabelText(/Your own password/), { target: { value: 'short' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Save password' }));
    await screen.findByText('Too short.');
    expect(screen.getByLabelText(/Your own password/).getAttribute('aria-invalid')).toBe('true');
    refused = false;
    await fireEvent.input(screen.getByLabelText(/Your own password/), { target: { value: 'a-fresher-one' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Save password' }));
    await waitFor(() => expect(session.me?.first_password).toBe(false));
    expect(lastTo(seen, /password/)?.body).toEqual({ old: 'given-one', new: 'a-fresher-one' });
  });
});
