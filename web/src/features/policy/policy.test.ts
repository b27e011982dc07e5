import { fireEvent, render, screen, waitFor, within } from '@testing-library/svelte';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { session } from '$shared/session.svelte';
import { notices } from '$shared/ui/notices.svelte';
import { lastTo, page, Refusal, serve } from '../../test-server';
import PolicyScreen from './PolicyScreen.svelte';

const setting = (key: string, words: string, value: unknown, more = {}) => ({
  key,
  group: 'Care',
  words,
  unit: '',
  scale: 1,
  low: 0,
  high: 1,
  choices: [],
  default: value,
  reason: 'it is usual',
  source: 'common practice, no source',
  value,
  own: null,
  ...more,
});
const POLICY = {
  version: 3,
  settings: [
    setting('care.storage_frac', 'Storage charge', 0.6, { unit: '%', scale: 100 }),
    setting('reserve_method', 'The reserve counts from', 'rated', {
      group: 'Reserve',
      choices: [
        { value: 'rated', words: 'the rated capacity' },
        { value: 'measured', words: 'the capacity measured' },
      ],
    }),
    setting('care.check_every_days', 'Look every', 20, {
      unit: 'days',
      default: 30,
      own: { value: 20, why: 'a damp store', by: 'Ines', at: '2026-05-01T10:00:00Z' },
    }),
  ],
};
const row = (words: string) => screen.getAllByText(words)[0]!.closest('tr')!;
const set = (words: string) => fireEvent.click(within(row(words)).getByRole('button', { name: `Set: ${words}` }));

beforeEach(() => (session.me = { signed_in: true, units: 'metric', rights: ['policy:write'], organisation: 'Crew' } as never));
afterEach(() => {
  localStorage.clear();
  notices.list = [];
});

describe('the policy page', () => {
  it('shows default, own value, reason and who', async () => {
    serve({ 'GET /api/policy': POLICY, 'GET /api/history': page([]) });
    render(PolicyScreen);
    await screen.findAllByText('Storage charge');
    expect(row('Storage charge')).toHaveTextContent('60 %');
    expect(row('Look every')).toHaveTextContent(/20 days\s*usual 30 days/);
    expect(row('Look every')).toHaveTextContent('a damp store · Ines');
    expect(row('The reserve counts from')).toHaveTextContent('the rated capacity');
    expect(screen.getByText('Nothing has been set otherwise yet.')).toBeInTheDocument();
  });

  it('keeps what was typed and not set, until it is set or cancelled', async () => {
    serve({ 'GET /api/policy': POLICY, 'GET /api/history': page([]), 'PUT /api/policy': POLICY });
    const first = render(PolicyScreen);
    await screen.findAllByText('Storage charge');
    await set('Storage charge');
    await fireEvent.input(screen.getByLabelText('Why'), { target: { value: 'cool store' } });
    first.unmount();
    const second = render(PolicyScreen);
    await screen.findAllByText('Storage charge');
    await set('Look every');
    expect(screen.getByLabelText('Why')).toHaveValue('a damp store');
    expect(screen.queryByText(/was not saved/)).not.toBeInTheDocument();
    await set('Storage charge');
    expect(screen.getByLabelText('Why')).toHaveValue('cool store');
    expect(screen.getByText(/was not saved/)).toBeInTheDocument();
    await fireEvent.click(screen.getByText('Set it'));
    await waitFor(() => expect(screen.queryByLabelText('Why')).not.toBeInTheDocument());
    second.unmount();
    render(PolicyScreen);
    await screen.findAllByText('Storage charge');
    await set('Storage charge');
    expect(screen.getByLabelText('Why')).toHaveValue('');
  });

  it('sends the value of the server and not the one that is shown, with the reason', async () => {
    const seen = serve({ 'GET /api/policy': POLICY, 'GET /api/history': page([]), 'PUT /api/policy': POLICY });
    render(PolicyScreen);
    await screen.findAllByText('Storage charge');
    await set('Storage charge');
    await fireEvent.input(screen.getByLabelText('New, %'), { target: { value: '50' } });
    await fireEvent.input(screen.getByLabelText('Why'), { target: { value: 'cool store' } });
    await fireEvent.click(screen.getByText('Set it'));
    await waitFor(() => expect(notices.list).toHaveLength(1));
    expect(lastTo(seen, /policy$/)).toBeDefined();
    const sent = seen.find((a) => a.method === 'PUT')!.body;
    expect(sent).toMatchObject({ version: 3, changes: [{ key: 'care.storage_frac', value: 0.5, why: 'cool store' }] });
    notices.list[0]!.undo!();
    await waitFor(() => expect(seen.filter((a) => a.method === 'PUT')).toHaveLength(2));
    expect(seen.filter((a) => a.method === 'PUT')[1]!.body).toMatchObject({
      changes: [{ key: 'care.storage_frac', value: null }],
    });
  });

  it('takes a method by its words and goes back to the usual', async () => {
    const seen = serve({ 'GET /api/policy': POLICY, 'GET /api/history': page([]), 'PUT /api/policy': POLICY });
    render(PolicyScreen);
    await screen.findAllByText('Storage charge');
    await set('The reserve counts from');
    await fireEvent.change(screen.getByLabelText('New'), { target: { value: '1' } });
    await fireEvent.input(screen.getByLabelText('Why'), { target: { value: 'worn packs' } });
    await fireEvent.click(screen.getByText('Set it'));
    await waitFor(() => expect(seen.find((a) => a.method === 'PUT')?.body).toMatchObject({ changes: [{ value: 'measured' }] }));
    await waitFor(() => expect(notices.list).toHaveLength(1));
    await set('Look every');
    await fireEvent.click(screen.getByText('Back to usual'));
    await waitFor(() =>
      expect(seen.filter((a) => a.method === 'PUT').at(-1)!.body).toMatchObject({ changes: [{ value: null }] }),
    );
  });

  it('says at the line what is wrong and keeps what was typed', async () => {
    serve({
      'GET /api/policy': POLICY,
      'GET /api/history': page([]),
      'PUT /api/policy': new Refusal(422, 'care.storage_frac', 'Give 20 to 80 %.'),
    });
    render(PolicyScreen);
    await screen.findAllByText('Storage charge');
    await set('Storage charge');
    await fireEvent.input(screen.getByLabelText('New, %'), { target: { value: 'much' } });
    await fireEvent.click(screen.getByText('Set it'));
    expect(within(row('Storage charge')).getByRole('alert')).toHaveTextContent('Type a number.');
    await fireEvent.input(screen.getByLabelText('New, %'), { target: { value: '95' } });
    await fireEvent.click(screen.getByText('Set it'));
    expect(await within(row('Storage charge')).findByText('Give 20 to 80 %.')).toBeInTheDocument();
    expect((screen.getByLabelText('New, %') as HTMLInputElement).value).toBe('95');
  });

  it('is read by all and set by a lead', async () => {
    session.me = { signed_in: true, units: 'metric', rights: [] } as never;
    serve({ 'GET /api/policy': POLICY, 'GET /api/history': page([]) });
    render(PolicyScreen);
    await screen.findAllByText('Storage charge');
    for (const b of screen.getAllByRole('button')) expect(b).toBeDisabled();
  });

  it('offers to try again when the link is lost', async () => {
    serve({ 'GET /api/history': page([]) });
    render(PolicyScreen);
    expect(await screen.findByText('Try again')).toBeInTheDocument();
  });
});
