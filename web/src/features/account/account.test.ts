import { fireEvent, render, screen, waitFor } from '@testing-library/svelte';
import { afterEach, describe, expect, it } from 'vitest';
import { lastTo, Refusal, serve } from '../../test-server';
import { notices } from '$shared/ui/notices.svelte';
import { deviceWords } from './device-words';
import SecondSteps from './SecondSteps.svelte';
import Sessions from './Sessions.svelte';

afterEach(() => (notices.list = []));

const STEP = { id: 7, kind: 'app', name: 'Codes from an app', made_at: '2026-05-01T08:00:00Z', used_at: null };
const SECRET = { secret: 'ABCDEFGH2345', address: 'otpauth://x', picture: 'data:image/svg+xml,<svg/>' };

describe('the second step', () => {
  it('is set up by a code that proves the app has the secret, and gives spare codes once', async () => {
    const seen = serve({
      'GET /api/me/second-steps': { steps: [], codes_left: 0 },
      'POST /api/me/second-steps/app': ({ body }: { body: { password: string } }) =>
        body.password === 'right' ? SECRET : new Refusal(400, 'password', 'The present password is wrong.'),
      'PUT /api/me/second-steps/app': { codes: ['11112222', '33334444'] },
    });
    render(SecondSteps);
    await fireEvent.click(await screen.findByRole('button', { name: 'Set up an app' }));
    await fireEvent.input(screen.getByLabelText('Your password'), { target: { value: 'wrong' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Go on' }));
    expect(await screen.findByRole('alert')).toHaveTextContent('wrong');
    await fireEvent.input(screen.getByLabelText('Your password'), { target: { value: 'right' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Go on' }));
    expect(await screen.findByText('ABCD EFGH 2345')).toBeVisible();
    await fireEvent.input(screen.getByLabelText('Code'), { target: { value: '12 34 56' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Finish' }));
    expect(await screen.findByText('33334444')).toBeVisible();
    expect(lastTo(seen, /app$/)?.body).toEqual({ code: '123456' });
  });

  it('asks before it is removed, with the password', async () => {
    const seen = serve({
      'GET /api/me/second-steps': { steps: [STEP], codes_left: 2 },
      'POST /api/me/second-steps/7/remove': null,
    });
    render(SecondSteps);
    expect(await screen.findByText('2 left: make new ones')).toBeVisible();
    await fireEvent.click(screen.getByRole('button', { name: 'Remove Codes from an app' }));
    expect(screen.getByText(/The spare codes go with it/)).toBeVisible();
    expect(screen.getByRole('button', { name: 'Remove' })).toBeDisabled();
    await fireEvent.input(screen.getByLabelText('Your password'), { target: { value: 'right' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Remove' }));
    await waitFor(() => expect(lastTo(seen, /remove$/)?.body).toEqual({ password: 'right' }));
  });

  it('says why there are no passkeys where the page has no secure address', async () => {
    serve({ 'GET /api/me/second-steps': { steps: [], codes_left: 0 } });
    render(SecondSteps);
    expect(await screen.findByText(/Passkeys need a secure address/)).toBeVisible();
  });
});

describe('sessions', () => {
  const at = '2026-05-01T08:00:00Z';
  const here = {
    id: 1,
    device: 'Mozilla/5.0 (X11; Linux x86_64) Firefox/130.0',
    address: '10.0.0.7',
    opened_at: at,
    seen_at: at,
    here: true,
  };
  const van = { ...here, id: 2, device: 'Mozilla/5.0 (Linux; Android 14; Tab) Chrome/129 Safari/537', here: false };

  it('end one by one, but not this one', async () => {
    const seen = serve({ 'GET /api/me/sessions': [here, van], 'DELETE /api/me/sessions/2': null });
    render(Sessions);
    expect(await screen.findByText('now, here')).toBeVisible();
    await fireEvent.click(screen.getByRole('button', { name: 'Sign out Chrome on Android tablet, 10.0.0.7' }));
    await waitFor(() => expect(lastTo(seen, /sessions\/2$/)?.method).toBe('DELETE'));
    expect(screen.queryByRole('button', { name: /Sign out Firefox/ })).toBeNull();
  });

  it('a refusal is told and changes nothing', async () => {
    serve({
      'GET /api/me/sessions': [here, van],
      'DELETE /api/me/sessions': new Refusal(503, '', 'The database does not answer.'),
    });
    render(Sessions);
    await fireEvent.click(await screen.findByRole('button', { name: 'Sign out everywhere else' }));
    await waitFor(() => expect(notices.list.at(-1)).toMatchObject({ text: 'The database does not answer.', bad: true }));
  });
});

describe('what a browser calls itself', () => {
  it.each([
    [
      'Mozilla/5.0 (iPad; CPU OS 17_0 like Mac OS X) AppleWebKit/605 (KHTML) Version/17 Mobile/15E148 Safari/604',
      'Safari on iPad',
    ],
    ['Mozilla/5.0 (Windows NT 10.0; Win64; x64) Chrome/129 Safari/537 Edg/129', 'Edge on Windows'],
    ['Mozilla/5.0 (Linux; Android 14; Pixel) Chrome/129 Mobile Safari/537', 'Chrome on Android phone'],
    ['curl/8.0', 'curl/8.0'],
    ['', 'unknown device'],
  ])('%s is %s', (line, words) => expect(deviceWords(line)).toBe(words));
});
