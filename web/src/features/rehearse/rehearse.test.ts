import 'fake-indexeddb/auto';
import { fireEvent, render, screen, waitFor, within } from '@testing-library/svelte';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { goto } from '$app/navigation';
import { DAY, plan } from '$features/day/pieces.test.data';
import Debrief from '$features/live/components/Debrief.svelte';
import type { Schemas } from '$shared/api/client';
import { session } from '$shared/session.svelte';
import { lastTo, Refusal, serve, type Asked } from '../../test-server';
import RehearseScreen from './RehearseScreen.svelte';
import { spread } from './rehearse.svelte';

vi.mock('$app/navigation', () => ({ goto: vi.fn() }));
beforeEach(() => {
  session.me = { id: 1, signed_in: true, units: 'metric', rights: ['day:run'], organisation: 'Crew' } as never;
});

const KINDS = [
  { kind: 'port_trips', words: 'a port trips and stays out of order' },
  { kind: 'crew_late', words: 'the crew is held up' },
];
const MINE: Schemas['RehearsalOut'] = {
  id: 'r1',
  of: 'd1',
  now_s: 3600,
  speed: 30,
  seed: 4,
  by_hand: false,
  closed: false,
  faults: [
    { kind: 'port_trips', at_s: 1200, about: '', length_s: 1200, words: 'a port trips and stays out of order', struck: true },
    { kind: 'crew_late', at_s: 9000, about: '', length_s: 1200, words: 'the crew is held up', struck: false },
  ],
  can: KINDS,
  better: null,
};
const LIVE = {
  day_id: 'r1',
  name: 'Fell day',
  opens_at: '2031-05-06T08:00:00Z',
  closes_at: '2031-05-06T17:00:00Z',
  time_zone: 'UTC',
  now_s: 3600,
  revision: 3,
  plan_number: 1,
  planned_at_s: 3000,
  finish_s: 9000,
  planned_finish_s: 8400,
  problem: '',
  changes: [{ at_s: 1215, words: 'ends 10 min later', kept: false }],
  calls: [],
  alerts: [
    { key: 'power', grade: 'now', words: 'No power', reason: 'no pack on the ports', limit: '–', owner: 'handler', about: '' },
  ],
  flights: [],
  packs: [],
  ports: [],
  aircraft: [{ id: 'a1', name: 'Wren' }],
  questions: [],
  oddities: [],
  speed: 30,
  rehearsal_of: 'd1',
  weather_due: [],
  inversion: '',
  closed: false,
};
const course = () => {
  const p = plan();
  return {
    ...p,
    now_s: 3600,
    ghosts: p.flights.map((f) => ({ ...f })),
    flights: p.flights.map((f, k) => ({ ...f, happened: k === 0 })),
  };
};
const SUMMARY: Schemas['SummaryOut'] = {
  flown_s: 9600,
  planned_s: 8400,
  hindsight_s: 8700,
  waits: [
    { aircraft: 'a1', flight: 'S2', from_s: 2400, to_s: 3900, reason: 'pack' },
    { aircraft: 'a1', flight: 'S3', from_s: 5000, to_s: 5060, reason: 'pack' },
    { aircraft: 'a1', flight: 'S4', from_s: 6000, to_s: 9000, reason: 'window' },
  ],
  risky: ['S1 landed with 27%, below its reserve of 32%'],
  sorties: 5,
};

function house(over: Record<string, unknown> = {}): Asked[] {
  return serve({
    'GET /api/days/d1/rehearsal': { rehearsal: null },
    'GET /api/days/r1/rehearsal': { rehearsal: MINE },
    'GET /api/days/d1': { day: DAY, plan: plan(), problem: null, job_problems: [] },
    'GET /api/days/d1/rehearsals': [],
    'GET /api/rehearsals/faults': KINDS,
    'GET /api/days/r1/live': { live: LIVE },
    'GET /api/days/r1/course': course(),
    'PATCH /api/days/r1/rehearsal': ({ body }: Asked) => ({ ...MINE, ...(body as object) }),
    'POST /api/days/r1/faults': MINE,
    'POST /api/days/d1/rehearsals': { ...MINE, id: 'r2' },
    ...over,
  });
}

describe('a day to be rehearsed', () => {
  it('takes who answers, how fast, and faults spread over the planned day', async () => {
    const seen = house();
    render(RehearseScreen, { id: 'd1' });
    expect(await screen.findByText('Nothing yet. The first rehearsal will be listed here.')).toBeTruthy();
    await fireEvent.click(await screen.findByLabelText('the crew is held up'));
    await fireEvent.click(screen.getByLabelText('a port trips and stays out of order'));
    const at = screen.getByLabelText<HTMLInputElement>('When: port trips');
    expect(at.value).toBe('09:40');
    await fireEvent.input(at, { target: { value: '10:15' } });
    await fireEvent.click(screen.getByRole('button', { name: 'A crew does' }));
    await fireEvent.click(screen.getByRole('button', { name: '60×' }));
    await fireEvent.click(screen.getByRole('button', { name: 'Begin' }));
    await waitFor(() => expect(goto).toHaveBeenCalledWith('/days/r2/rehearse'));
    expect(lastTo(seen, /rehearsals$/)?.body).toMatchObject({
      speed: 60,
      by_hand: false,
      faults: [
        { kind: 'crew_late', at_s: 3000 },
        { kind: 'port_trips', at_s: 8100 },
      ],
    });
  });

  it('says at once what cannot be, and keeps what was chosen', async () => {
    house({ 'POST /api/days/d1/rehearsals': new Refusal(422, 'faults.0.at_s', 'The time of a fault is too late.') });
    render(RehearseScreen, { id: 'd1' });
    await fireEvent.click(await screen.findByLabelText('the crew is held up'));
    await fireEvent.click(screen.getByRole('button', { name: 'Begin' }));
    expect((await screen.findByRole('alert')).textContent).toContain('too late');
    expect(screen.getByLabelText<HTMLInputElement>('the crew is held up').checked).toBe(true);
  });

  it('lists what was rehearsed, and puts one away with a way back', async () => {
    const line = {
      id: 'r1',
      started_at: '2026-11-25T09:00:00Z',
      by: 'Lena',
      seed: 4,
      by_hand: true,
      faults: ['port_trips'],
      now_s: 3600,
      closed: false,
    };
    const seen = house({ 'GET /api/days/d1/rehearsals': [line], 'DELETE /api/days/r1/rehearsal': {} });
    render(RehearseScreen, { id: 'd1' });
    expect((await screen.findByText('Lena, by hand, seed 4')).closest('li')?.textContent).toContain('port trips');
    await fireEvent.click(screen.getByRole('button', { name: 'Archive' }));
    await waitFor(() => expect(lastTo(seen, /r1\/rehearsal$/)?.method).toBe('DELETE'));
  });

  it('spreads faults evenly, to the minute', () => {
    expect([0, 1, 2].map((k) => spread(3, k, 14_400))).toEqual([3600, 7200, 10_800]);
  });
});

describe('a rehearsal under way', () => {
  it('draws what happened, what is to come and what was planned, and says how the plan answered', async () => {
    house();
    const { container } = render(RehearseScreen, { id: 'r1' });
    const told = await screen.findByTestId('told');
    await waitFor(() => expect(container.querySelectorAll('svg [data-flight]')).toHaveLength(3));
    expect(container.querySelector('[data-testid=now]')?.textContent).toContain('now');
    expect([...container.querySelectorAll('svg title')].map((t) => t.textContent)).toContain('S2 as planned, 09:05');
    const rows = within(told)
      .getAllByRole('listitem')
      .map((r) => r.textContent!.replace(/\s+/g, ' ').trim());
    expect(rows).toEqual([
      '10:30!the crew is held up (to come)',
      '08:20→The plan answers: ends 10 min later',
      '08:20!a port trips and stays out of order',
    ]);
    expect(screen.getByRole('alert').textContent).toContain('No power');
  });

  it('stands, goes faster, changes hands and takes a fault', async () => {
    const seen = house();
    render(RehearseScreen, { id: 'r1' });
    await fireEvent.click(await screen.findByRole('button', { name: /Pause/ }));
    await waitFor(() => expect(lastTo(seen, /r1\/rehearsal$/)?.body).toBeTruthy());
    expect(seen.filter((a) => a.method === 'PATCH').at(-1)?.body).toEqual({ speed: 0 });
    await fireEvent.click(screen.getByRole('button', { name: '120×' }));
    await fireEvent.click(screen.getByRole('button', { name: 'Answer by hand' }));
    await waitFor(() =>
      expect(seen.filter((a) => a.method === 'PATCH').map((a) => a.body)).toEqual([
        { speed: 0 },
        { speed: 120 },
        { by_hand: true },
      ]),
    );
    await fireEvent.click(screen.getByRole('button', { name: 'crew late' }));
    await waitFor(() => expect(lastTo(seen, /faults$/)?.body).toMatchObject({ kind: 'crew_late' }));
  });

  it('ends with a debrief in place of the calls', async () => {
    const better = { prompt_s: 9000, prompt_sorties: 5, calm_s: 8520, calm_sorties: 4 };
    house({
      'GET /api/days/r1/rehearsal': { rehearsal: { ...MINE, closed: true, speed: 0, better } },
      'GET /api/days/r1/live': { live: { ...LIVE, closed: true, speed: 0, alerts: [] } },
      'GET /api/days/r1/summary': SUMMARY,
    });
    render(RehearseScreen, { id: 'r1' });
    const told = await screen.findByTestId('debrief');
    expect(told.textContent).toContain('10 min went to calls');
    expect(screen.queryByRole('button', { name: /Pause/ })).toBeNull();
    expect(screen.getByRole('link', { name: 'Rehearse again' }).getAttribute('href')).toBe('/days/d1/rehearse');
  });
});

describe('a debrief', () => {
  it('has last landings side by side, long waits for packs and risky moments', () => {
    render(Debrief, { summary: SUMMARY, opens: '08:00', names: { a1: 'Wren' } });
    const text = screen.getByTestId('debrief').textContent!.replace(/\s+/g, ' ');
    expect(text).toMatch(/10:20 as planned before the day.*10:40 as flown 5 sorties.*10:25 with hindsight/);
    expect(text).toContain('Waits for packs: 26 min');
    expect(text).toContain('Wren stood 25 min before S2, from 08:40');
    expect(text).not.toContain('before S3');
    expect(text).toContain('1 more of two minutes at the most');
    expect(text).toContain('S1 landed with 27%');
  });

  it('does not compare days that flew different things', () => {
    const better = { prompt_s: 9000, prompt_sorties: 4, calm_s: null, calm_sorties: 0 };
    render(Debrief, { summary: { ...SUMMARY, waits: [], risky: [] }, opens: '08:00', better });
    const text = screen.getByTestId('debrief').textContent!;
    expect(text).not.toContain('went to calls');
    expect(text).toContain('No aircraft waited long for a pack.');
    expect(text).toContain('None: every sortie kept its reserve.');
  });
});
