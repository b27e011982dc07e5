import { fireEvent, render, screen, waitFor } from '@testing-library/svelte';
import { describe, expect, it, vi } from 'vitest';
import { lastTo, page, Refusal, serve } from '../../test-server';
import { openDays } from '$shared/days';
import PutIntoDay from './components/PutIntoDay.svelte';

const goto = vi.hoisted(() => vi.fn());
vi.mock('$app/navigation', () => ({ goto }));

const JOB = { id: 'j2', name: 'Low field', letter: 'L', aircraft_id: null } as never;
const DAY = {
  id: 'd1',
  version: 4,
  archived: false,
  running: false,
  name: 'Tuesday',
  jobs: [{ job_id: 'j1', aircraft_id: 'a1' }],
};
const SERVED = {
  'GET /api/days': page([{ id: 'd1', name: 'Tuesday', date: '2031-05-06', running: '' }]),
  'GET /api/days/d1': { day: DAY },
};

describe('a job is scheduled', () => {
  it('goes into a day that is there, with nothing but what can be entered of one', async () => {
    const seen = serve({ ...SERVED, 'PUT /api/days/d1': { day: DAY } });
    render(PutIntoDay, { job: JOB, open: true });
    await fireEvent.click(await screen.findByRole('button', { name: /Tuesday/ }));
    await waitFor(() => expect(goto).toHaveBeenCalledWith('/days/d1'));
    expect(lastTo(seen, /days\/d1$/)!.body).toEqual({
      version: 4,
      day: { name: 'Tuesday', jobs: [...DAY.jobs, { job_id: 'j2', aircraft_id: null }] },
    });
  });

  it('says what was refused and stays', async () => {
    goto.mockClear();
    serve({ ...SERVED, 'PUT /api/days/d1': new Refusal(409, '', 'Somebody saved this day in between.') });
    render(PutIntoDay, { job: JOB, open: true });
    await fireEvent.click(await screen.findByRole('button', { name: /Tuesday/ }));
    expect(await screen.findByRole('alert')).toHaveTextContent('Somebody saved this day in between.');
    expect(goto).not.toHaveBeenCalled();
  });
});

describe('the days offered', () => {
  it('are those to come, the next first, then past ones that are still open', () => {
    const day = (date: string, running = '') => ({ date, running });
    const days = [day('2026-11-01'), day('2026-12-09'), day('2026-11-20'), day('2026-12-01'), day('2026-12-02', 'closed')];
    expect(openDays(days, '2026-12-01').map((d) => d.date)).toEqual(['2026-12-01', '2026-12-09', '2026-11-20', '2026-11-01']);
  });
});
