import { fireEvent, render, screen, waitFor, within } from '@testing-library/svelte';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { session } from '$shared/session.svelte';
import { lastTo, Refusal, serve } from '../../test-server';
import AirSection from './components/AirSection.svelte';
import { JobDraft } from './state/draft.svelte';
import PlanChecks from './components/PlanChecks.svelte';
import Profile from './components/Profile.svelte';
import Site from './components/Site.svelte';
import SpeedCurve from './components/SpeedCurve.svelte';

vi.mock('$app/navigation', () => ({ goto: vi.fn() }));

const WIND = {
  speed_m_s: 5,
  from_deg: 240,
  height_m: 60,
  assumed: true,
  origin: 'assumed',
  words: '',
  at: null,
  cover: 'grass',
  gust_m_s: null,
  air_c: 12,
  density_kg_m3: 1.2,
  into_m_s: null,
  with_m_s: null,
};
const SITE = {
  obstacles: [{ name: 'mast', at: [7.1, 46.2], radius_m: 5, top_m: 30 }],
  fallbacks: [{ name: 'orchard', at: [7.11, 46.21] }],
  homes: [],
  home_area: [],
};
function draftOf(more: Record<string, unknown> = {}) {
  const draft = new JobDraft();
  draft.job = {
    id: 'j1',
    version: 3,
    archived: false,
    changed_at: '',
    name: 'Top field',
    letter: 'S',
    kind: 'mapping',
    home: [7.1, 46.2],
    areas: [],
    work: { height_m: 52 },
    wind: { ...WIND },
    site: structuredClone(SITE),
    sorties: { landing_frac: 0.3, floor_frac: 0.2, reserve_method: 'rated', keep_spare_s: 30, load_kg: 0, return_m: null },
    aircraft_model_id: 'm1',
    aircraft_id: null,
    camera_id: null,
    ...more,
  } as never;
  draft.save = vi.fn();
  return draft;
}
const FLEET = { aircraft_models: [{ id: 'm1', name: 'Skarra', work: 'mapping' }], aircraft: [] } as never;
beforeEach(() => (session.me = { signed_in: true, units: 'metric', rights: ['jobs:write'] } as never));

const set = async (label: string | RegExp, value: string) => {
  const field = screen.getByLabelText(label);
  await fireEvent.input(field, { target: { value } });
  await fireEvent.blur(field);
};

describe('the air of a job', () => {
  it('says that nothing flies on an assumed wind, and that a typed one is entered', async () => {
    const draft = draftOf();
    render(AirSection, { draft, fleet: FLEET, writable: true });
    expect(screen.getByTestId('wind-word')).toHaveTextContent('Assumed wind: not valid for flight.');
    await set('Wind at flying height', '7');
    expect(draft.job!.wind).toMatchObject({ speed_m_s: 7, assumed: false, origin: 'entered', density_kg_m3: null });
    expect(screen.getByTestId('wind-word')).toHaveTextContent('Entered by hand.');
  });

  it('takes the wind of an hour with its gust, density and word', async () => {
    const draft = draftOf();
    const seen = serve({
      'GET /api/jobs/*/air': {
        speed_m_s: 6.4,
        from_deg: 250,
        gust_m_s: 9,
        air_c: 3,
        density_kg_m3: 1.27,
        words: 'forecast made 05:00 UTC',
        origin: 'forecast',
        at: '2031-05-06T09:00:00+00:00',
      },
    });
    render(AirSection, { draft, fleet: FLEET, writable: true });
    await fireEvent.input(screen.getByLabelText('Hour of the forecast'), { target: { value: '2031-05-06T09:00' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Take wind' }));
    await waitFor(() => expect(draft.job!.wind.speed_m_s).toBe(6.4));
    expect(draft.job!.wind).toMatchObject({ origin: 'forecast', assumed: false, air_c: 3, density_kg_m3: 1.27, height_m: 52 });
    expect(lastTo(seen, /air$/)).toBeTruthy();
    expect(screen.getByTestId('wind-word')).toHaveTextContent('forecast made 05:00 UTC');
    expect(screen.getByTestId('wind-word')).toHaveTextContent('gusts 9.0 m/s');
  });

  it('says when no wind is known for the hour and keeps the old one', async () => {
    const draft = draftOf();
    serve({ 'GET /api/jobs/*/air': new Refusal(422, 'wind.at', 'No wind is known for this hour.') });
    render(AirSection, { draft, fleet: FLEET, writable: true });
    await fireEvent.click(screen.getByRole('button', { name: 'Take wind' }));
    expect(await screen.findByRole('alert')).toHaveTextContent('No wind is known');
    expect(draft.job!.wind.speed_m_s).toBe(5);
  });

  it('says that speeds measured both ways stand above the computed, and forgets them', async () => {
    const draft = draftOf({ wind: { ...WIND, into_m_s: 6, with_m_s: 16 } });
    render(AirSection, { draft, fleet: FLEET, writable: true });
    expect(screen.getByText(/Both measured/)).toBeInTheDocument();
    await fireEvent.click(screen.getByRole('button', { name: 'forget them' }));
    expect(draft.job!.wind).toMatchObject({ into_m_s: null, with_m_s: null });
  });

  it('is read only without the right', () => {
    render(AirSection, { draft: draftOf(), fleet: FLEET, writable: false });
    expect(screen.getByLabelText('Wind at flying height')).toBeDisabled();
    expect(screen.getByRole('button', { name: 'Take wind' })).toBeDisabled();
  });
});

describe('what stands around', () => {
  it('adds, names, moves and deletes fallbacks, each of which can be undone', async () => {
    const draft = draftOf();
    render(Site, { draft, writable: true });
    await fireEvent.click(screen.getByRole('button', { name: 'Add a fallback at home' }));
    expect(draft.job!.site!.fallbacks).toHaveLength(2);
    await fireEvent.change(screen.getByLabelText('Fallback 1, name'), { target: { value: 'meadow' } });
    await fireEvent.change(screen.getByLabelText('Fallback 1, latitude'), { target: { value: '46,25' } });
    expect(draft.job!.site!.fallbacks![0]).toEqual({ name: 'meadow', at: [7.11, 46.25] });
    await fireEvent.change(screen.getByLabelText('Fallback 1, latitude'), { target: { value: 'north' } });
    expect(draft.job!.site!.fallbacks![0]!.at).toEqual([7.11, 46.25]);
    await fireEvent.click(screen.getByRole('button', { name: 'Delete fallback meadow' }));
    expect(draft.job!.site!.fallbacks).toHaveLength(1);
    draft.undo();
    expect(draft.job!.site!.fallbacks).toHaveLength(2);
  });

  it('changes the top of an obstacle', async () => {
    const draft = draftOf();
    render(Site, { draft, writable: true });
    await fireEvent.change(screen.getByLabelText('Obstacle 1, top above the ground in metres'), { target: { value: '42' } });
    expect(draft.job!.site!.obstacles![0]).toMatchObject({ top_m: 42, radius_m: 5 });
  });

  it('compares homes, says what the best saves, and moves home there', async () => {
    const draft = draftOf();
    const home = (name: string, sorties: number | null, total_s: number | null, at: number[], why_not = '') => ({
      name,
      sorties,
      total_s,
      at,
      why_not,
    });
    serve({
      'GET /api/jobs/*/homes': {
        homes: [
          home('home now', 5, 6000, [7.1, 46.2]),
          home('far end', null, null, [7.3, 46.4], 'Only to reach line 1 …'),
          home('best on or beside the area', 4, 5400, [7.105, 46.203]),
        ],
        permitted: false,
      },
    });
    render(Site, { draft, writable: true });
    await fireEvent.click(screen.getByRole('button', { name: 'Compare and propose' }));
    const told = await screen.findByTestId('homes');
    expect(told).toHaveTextContent('1 sortie fewer, 10 min less');
    expect(told).toHaveTextContent('Only to reach line 1');
    const moves = within(told).getAllByRole('button', { name: 'Move home there' });
    expect(moves).toHaveLength(1);
    await fireEvent.click(moves[0]!);
    expect(draft.job!.home).toEqual([7.105, 46.203]);
    expect(screen.getByText(/check that you may stand there/)).toBeInTheDocument();
  });
});

describe('pictures of a plan', () => {
  const plan = (more: Record<string, unknown> = {}) =>
    ({
      return_m: 55,
      highest_m: 80,
      speed_curve: {
        flat: false,
        longest_m_s: 9,
        farthest_m_s: 17,
        points: [
          [0, 1000],
          [10, 1200],
          [20, 800],
        ],
      },
      ...more,
    }) as never;

  it('gives minutes by speed with the speeds that matter', () => {
    render(SpeedCurve, { plan: plan(), work: 8, cruise: 12 });
    expect(screen.getByText(/lines 8.0 m\/s/)).toHaveTextContent('19:20');
    expect(screen.getByText(/farthest 17.0 m\/s/)).toBeInTheDocument();
    expect(screen.getByRole('img')).toHaveAccessibleName(/Longest at 9.0 m\/s, farthest against the wind at 17.0 m\/s/);
  });

  it('marks the most that the lines need through the air in wind, not the speed over ground', () => {
    const lines = [{ air_m_s: 4 }, { air_m_s: 12 }];
    render(SpeedCurve, { plan: plan({ lines }), work: 8, cruise: 11 });
    expect(screen.getByText(/lines up to 12.0 m\/s/)).toHaveTextContent('18:40');
    expect(screen.queryByText(/lines 8.0/)).toBeNull();
  });

  it('says what is missing where power is constant', () => {
    const flat = { flat: true, points: [], longest_m_s: null, farthest_m_s: null };
    render(SpeedCurve, { plan: plan({ speed_curve: flat }), work: 8, cruise: 12 });
    expect(screen.getByText(/give mass and rotors/)).toBeInTheDocument();
  });

  it('draws ground, flight and return height, or says that no terrain is known', () => {
    const profile = [
      [0, 0, 52],
      [100, 20, 70],
      [200, -5, 50],
    ];
    const { unmount } = render(Profile, { plan: plan(), sortie: { profile, bends: [[30, 40, 3.2]] } as never });
    // Shorter than the points lie apart, and drawn all the same, on the flight: 57.4 m at 30 m and 59.2 m at 40 m.
    const bend = screen.getByTestId('bend').getAttribute('d')!;
    expect(bend.match(/[ML]/g)).toEqual(['M', 'L']);
    expect(screen.getByText(/up to 3 m off the height/)).toBeInTheDocument();
    expect(screen.getByRole('img')).toHaveAccessibleName(/highest flight 70 m above home, return height 55 m/);
    unmount();
    render(Profile, { plan: plan(), sortie: { profile: [], bends: [] } as never });
    expect(screen.getByText(/No terrain is known here/)).toBeInTheDocument();
  });

  it('lists what stops people with sign and word', () => {
    const checks = [
      { key: 'return_m', words: 'Return height 60 m is too low.', verdict: 'no' as const },
      { key: 'wind', words: 'The wind is assumed.', verdict: 'care' as const },
    ];
    render(PlanChecks, { checks, jobId: 'j1' });
    const rows = screen.getAllByRole('listitem');
    expect(rows.map((r) => r.textContent?.trim()[0])).toEqual(['✕', '!']);
    expect(screen.getByRole('link', { name: 'Weather for this job' })).toHaveAttribute('href', '/limits?job=j1');
  });
});
