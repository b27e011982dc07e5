import { fireEvent, render, screen, waitFor } from '@testing-library/svelte';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { lastTo, Refusal, serve } from '../../test-server';
import { session } from '../session.svelte';
import SignIn from './SignIn.svelte';

afterEach(() => {
  session.me = null;
  localStorage.clear();
});

const ME = {
  signed_in: true,
  id: 1,
  username: 'lena',
  rights: [],
  second_step: [],
  units: 'metric',
  light: 'day',
  gloves: false,
};
const WAITS = { ...ME, signed_in: false, id: null, second_step: ['app', 'codes'] };

async function fill(label: string | RegExp, value: string) {
  await fireEvent.input(screen.getByLabelText(label), { target: { value } });
}
async function send(name = 'lena', password = 'a-long-enough-one') {
  await fill('Name or e-mail', name);
  await fill('Password', password);
  await fireEvent.click(screen.getByRole('button', { name: 'Sign in' }));
}

describe('signing in', () => {
  it('asks for the company only where the name alone does not say who', async () => {
    const seen = serve({
      'POST /api/session': ({ body }: { body: { company: string } }) =>
        body.company ? ME : new Refusal(422, 'company', 'Write yours too.', { code: 'which_company' }),
    });
    const done = vi.fn();
    render(SignIn, { done });
    expect(screen.queryByLabelText('Company')).toBeNull();
    await send();
    expect(await screen.findByRole('alert')).toHaveTextContent('Write yours too.');
    await fill('Company', 'North Crew');
    await fireEvent.click(screen.getByRole('button', { name: 'Sign in' }));
    await waitFor(() => expect(done).toHaveBeenCalled());
    expect(lastTo(seen, /session$/)?.body).toMatchObject({ username: 'lena', company: 'North Crew' });
  });

  it('goes on to the second step, and a wrong code stands at the code', async () => {
    const seen = serve({
      'POST /api/session': WAITS,
      'POST /api/session/code': ({ body }: { body: { code: string } }) =>
        body.code === '123456' ? ME : new Refusal(400, 'code', 'This did not fit.', { code: 'wrong_code' }),
    });
    const done = vi.fn();
    render(SignIn, { done });
    await send();
    const code = await screen.findByLabelText('Code of the app, or a spare code');
    expect(done).not.toHaveBeenCalled();
    expect(localStorage.getItem('gentle-quarry-me')).toBeNull();
    await fireEvent.input(code, { target: { value: '000 000' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Sign in' }));
    expect(await screen.findByRole('alert')).toHaveTextContent('This did not fit.');
    expect(lastTo(seen, /code$/)?.body).toEqual({ code: '000000' });
    await fireEvent.input(code, { target: { value: '123456' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Sign in' }));
    await waitFor(() => expect(done).toHaveBeenCalled());
    expect(session.me?.signed_in).toBe(true);
  });

  it('lets somebody else sign in instead', async () => {
    serve({ 'POST /api/session': WAITS, 'DELETE /api/session': {}, 'GET /api/me': { ...WAITS, second_step: [] } });
    render(SignIn, { done: vi.fn() });
    await send();
    await fireEvent.click(await screen.findByRole('button', { name: 'Sign in as somebody else' }));
    expect(await screen.findByLabelText('Name or e-mail')).toBeVisible();
  });
});
