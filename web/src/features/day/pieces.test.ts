import { fireEvent, render, screen, waitFor, within } from '@testing-library/svelte';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { session } from '$shared/session.svelte';
import { help } from '$shared/ui/help.svelte';
import { notices } from '$shared/ui/notices.svelte';
import { Refusal, lastTo, page, serve } from '../../test-server';
import { DayState } from './state/day.svelte';
import Fixed from './components/Fixed.svelte';
import Holds from './components/Holds.svelte';
import Packing from './components/Packing.svelte';
import NewDay from './NewDay.svelte';
import { DAY, plan } from './pieces.test.data';
import { pin, snapped, withPin, wordsOf } from './words/pins';
import Section from './components/Section.svelte';
import Sure from './components/Sure.svelte';
import Versions from './components/Versions.svelte';
import Week from './components/Week.svelte';

vi.mock('$app/navigation', () => ({ goto: vi.fn() }));
vi.mock('$app/state', () => ({ page: { url: new URL('http://x/days/new') } }));
beforeEach(() => {
  session.me = { signed_in: true, units: 'metric', rights: ['day:write'], organisation: 'Crew' } as never;
});
afterEach(() => {
  notices.list = [];
});

describe('pins', () => {
  it('are replaced by another of the same kind on the same thing alone', () => {
    const first = [pin({ kind: 'set', flight: 'S1', set: '01' }), pin({ kind: 'port', port: 1, from: '09:00', to: '10:00' })];
    const moved = withPin(first, pin({ kind: 'set', flight: 'S1', set: '02' }));
    expect(moved.map(wordsOf)).toEqual(['port 1 closed 09:00 to 10:00', 'S1 flies on 02']);
    expect(withPin(moved, pin({ kind: 'port', port: 1, from: '11:00', to: '12:00' }))).toHaveLength(3);
    expect(withPin(moved, pin({ kind: 'takeoff', flight: 'S1', from: '09:00' }))).toHaveLength(3);
  });

  it('are said in words', () => {
    expect(wordsOf(pin({ kind: 'takeoff', flight: 'S1', from: '09:05' }))).toBe('S1 not before 09:05');
    expect(wordsOf(pin({ kind: 'charge', set: '02', from: '10:00' }))).toBe('02 on charge at 10:00');
    expect(wordsOf(pin({ kind: 'supply', from: '10:00', to: '10:15' }))).toBe('no power 10:00 to 10:15');
  });

  it('fall on the clock in steps of five minutes, never before midnight', () => {
    expect(snapped(8 * 3600, 3500)).toBe('09:00');
    expect(snapped(8 * 3600 + 1800, -100)).toBe('08:30');
    expect(snapped(0, -900)).toBe('00:00');
  });
});

describe('how sure', () => {
  it('says half, nine in ten, what runs past the day and what late days waited for', () => {
    render(Sure, { day: DAY, plan: plan() });
    expect(screen.getByRole('img', { name: 'Last landing over 10000 days: half by 10:31, nine in ten by 10:40' })).toBeTruthy();
    expect(screen.getByText(/3 % run past 17:00/)).toBeInTheDocument();
    expect(screen.getByText(/Late days waited for/)).toHaveTextContent(/pack 02 \(61 %\), port 1 \(30 %\), Wren \(20 %\)/);
  });

  it('says what the scatter was learned from and how promises were kept', () => {
    const { unmount } = render(Sure, { day: DAY, plan: plan() });
    expect(screen.getByText(/no flown day of yours tells it yet/)).toBeInTheDocument();
    unmount();
    const told = { ...plan().chance!, learned_from: 12, promised: 11, kept_half: 5, kept_nine: 10 };
    render(Sure, { day: DAY, plan: plan({ chance: told }) });
    expect(screen.getByText(/as on your 12 flown days/)).toHaveTextContent(/“9 in 10” was kept on 10 of 11, “half” on 5 of 11/);
  });

  it('does not speak of late days where there are none', () => {
    render(Sure, { day: DAY, plan: plan({ chance: { ...plan().chance!, in_hours_frac: 1, risks: [] } }) });
    expect(screen.queryByText(/run past/)).toBeNull();
    expect(screen.queryByText(/waited for/)).toBeNull();
  });
});

describe('what holds the day back', () => {
  it('shows gains and zeros of one more, six first', async () => {
    render(Holds, { day: DAY, plan: plan() });
    const list = screen.getByTestId('levers');
    expect(within(list).getAllByRole('listitem')).toHaveLength(6);
    expect(within(list).getByText('one more pack like 02').closest('li')).toHaveTextContent('−25 min');
    expect(within(list).getByText('one more port').closest('li')).toHaveTextContent(/nothing.*no pack waits for a port/);
    await fireEvent.click(screen.getByRole('button', { name: '1 more' }));
    expect(within(list).getAllByRole('listitem')).toHaveLength(7);
  });

  it('shows what one less would cost, and what could not be flown', async () => {
    render(Holds, { day: DAY, plan: plan() });
    await fireEvent.click(screen.getByRole('button', { name: 'one less' }));
    const list = screen.getByTestId('levers');
    expect(within(list).getByText('one pack less').closest('li')).toHaveTextContent('+40 min');
    expect(within(list).getByText('one port less').closest('li')).toHaveTextContent(/not flown.*no port is left/);
  });

  it('says what one more could do at best where the search ended before it was certain, and not while it still goes on', () => {
    const levers = [
      { ...plan().levers![0]!, words: 'one more set', saves_s: 600, most_s: 3600 },
      { ...plan().levers![0]!, words: 'one more port', saves_s: 600, most_s: 640 },
    ];
    const { unmount } = render(Holds, { day: DAY, plan: plan({ levers }) });
    expect(screen.getByText('one more set').closest('li')).toHaveTextContent('−1 h 00 at best');
    expect(screen.getByText('one more port').closest('li')).not.toHaveTextContent('at best');
    expect(screen.getAllByText(/the search ended before more could be ruled out/)).toHaveLength(1);
    unmount();
    render(Holds, { day: DAY, plan: plan({ levers, state: 'searching' }) });
    expect(screen.queryByText(/at best/i)).toBeNull();
  });

  it('shows what is enough, what planning is worth, and the grid with the day marked', () => {
    render(Holds, { day: DAY, plan: plan() });
    expect(screen.getByText(/nobody waits with/)).toHaveTextContent(
      'Wren: nobody waits with 4 sets and 2 ports; the day has 2 and 1.',
    );
    expect(screen.getByText(/Planning saves/)).toHaveTextContent('30 min');
    const cells = within(screen.getByTestId('grid'));
    expect(cells.getByText('10:30')).toHaveClass('bg-ink');
    expect(cells.getByText('10:10')).not.toHaveClass('bg-ink');
    expect(cells.getAllByText('–')).toHaveLength(2);
  });

  it('waits for the background', () => {
    render(Holds, { day: DAY, plan: plan({ levers: null }) });
    expect(screen.getByRole('status')).toHaveTextContent('in the background');
  });
});

describe('what is fixed', () => {
  async function drawn(part: object = {}, told = plan(), writable = true) {
    const planner = new DayState();
    const seen = serve({
      'GET /api/days/d1': { day: { ...DAY, ...part }, plan: told, problem: null, job_problems: [] },
      'PUT /api/days/d1': ({ body }: { body: unknown }) => ({
        day: { ...DAY, ...(body as { day: object }).day, version: 3 },
        plan: told,
        problem: null,
        job_problems: [],
      }),
    });
    await planner.load('d1');
    render(Fixed, { planner, plan: told, writable });
    return seen;
  }
  const sent = (seen: Awaited<ReturnType<typeof drawn>>) =>
    (
      lastTo(
        seen.filter((s) => s.method === 'PUT'),
        /d1/,
      )!.body as { day: { pins: object[] } }
    ).day.pins;

  it('is added by hand, of each kind', async () => {
    const seen = await drawn();
    await fireEvent.click(screen.getByRole('button', { name: 'Lock' }));
    await waitFor(() => expect(sent(seen)).toEqual([pin({ kind: 'set', flight: 'S1', set: '01' })]));
    await fireEvent.change(screen.getByLabelText('fix'), { target: { value: 'port' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Lock' }));
    await waitFor(() => expect(sent(seen)[1]).toEqual(pin({ kind: 'port', port: 1, from: '10:00', to: '10:30' })));
    await fireEvent.change(screen.getByLabelText('fix'), { target: { value: 'takeoff' } });
    await fireEvent.change(screen.getByLabelText('sortie'), { target: { value: 'S2' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Lock' }));
    await waitFor(() => expect(sent(seen)[2]).toEqual(pin({ kind: 'takeoff', flight: 'S2', from: '10:00' })));
  });

  it('says what it costs, and is freed with a way back', async () => {
    const mine = pin({ kind: 'set', flight: 'S1', set: '02' });
    const seen = await drawn({ pins: [mine] }, plan({ pins: [{ ...mine, words: wordsOf(mine) }], pins_cost_s: 1260 }));
    expect(screen.getByTestId('pins-cost')).toHaveTextContent('costs 21 min');
    await fireEvent.click(screen.getByRole('button', { name: 'Free: S1 flies on 02' }));
    await waitFor(() => expect(sent(seen)).toEqual([]));
    notices.list.at(-1)!.undo!();
    await waitFor(() => expect(sent(seen)).toEqual([mine]));
  });

  it('is only shown to those who may not plan', async () => {
    await drawn({}, plan(), false);
    expect(screen.getByRole('button', { name: 'Lock' })).toBeDisabled();
  });
});

describe('the section', () => {
  const draw = (more: object = {}) => {
    const onpin = vi.fn();
    const onwider = vi.fn();
    render(Section, { day: DAY, plan: plan(), chosen: '', onpin, onwider, ...more });
    return { onpin, onwider };
  };
  const sortie = (name: string) => screen.getByRole('button', { name: new RegExp(`^${name}:`) });
  const run = (id: string) => help.actions.find((a) => a.id === id)!.run();

  it('says of each sortie who, when, on what and how it lands', async () => {
    draw();
    expect(sortie('S1')).toHaveAccessibleName('S1: Wren 08:10 to 08:30 (20 min) on 01, lands with 34 %');
    await fireEvent.focus(sortie('B1'));
    expect(screen.getByTestId('tells')).toHaveTextContent('B1: Bittern 08:20 to 08:40');
  });

  it('draws when a supply is refuelled', () => {
    draw({ stops: [[1200, 1800]] });
    expect(screen.getByText('refuel')).toBeInTheDocument();
  });

  it('is walked by arrows, along an aircraft and to the other', async () => {
    draw();
    sortie('S1').focus();
    await fireEvent.keyDown(sortie('S1'), { key: 'ArrowRight' });
    expect(sortie('S2')).toHaveFocus();
    await fireEvent.keyDown(sortie('S2'), { key: 'ArrowDown' });
    expect(sortie('B1')).toHaveFocus();
    await fireEvent.keyDown(sortie('B1'), { key: 'Enter' });
    expect(sortie('B1')).toHaveAttribute('aria-pressed', 'true');
  });

  it('moves a sortie by keys in steps of five minutes', async () => {
    const { onpin } = draw();
    await fireEvent.keyDown(sortie('S2'), { key: '>' });
    expect(onpin).toHaveBeenLastCalledWith(pin({ kind: 'takeoff', flight: 'S2', from: '09:10' }));
    await fireEvent.keyDown(sortie('S2'), { key: '<' });
    expect(onpin).toHaveBeenLastCalledWith(pin({ kind: 'takeoff', flight: 'S2', from: '09:00' }));
  });

  it('fixes nothing for those who may not', async () => {
    const { onpin } = draw({ onpin: undefined });
    await fireEvent.keyDown(sortie('S2'), { key: '>' });
    expect(onpin).not.toHaveBeenCalled();
  });

  it('comes closer to a quarter of an hour, goes wider to the day and then to the week', async () => {
    const { onwider } = draw();
    run('wider');
    expect(onwider).toHaveBeenCalledOnce();
    for (let k = 0; k < 12; k++) run('closer');
    await waitFor(() => expect(screen.getByRole('button', { name: 'whole day' })).toBeInTheDocument());
    for (let k = 0; k < 12; k++) run('wider');
    await waitFor(() => expect(screen.queryByRole('button', { name: 'whole day' })).toBeNull());
    expect(onwider.mock.calls.length).toBeGreaterThan(1);
  });

  it('says the same as a table, with what is grounded and why', async () => {
    draw();
    run('table');
    const table = await screen.findByTestId('section-table');
    expect(within(table).getByText('charging, port 1').closest('tr')).toHaveTextContent(/02.*08:00.*08:50.*100 %/);
    expect(within(table).getByText('swollen: out of service')).toBeInTheDocument();
  });

  it('has no keys of its own beside another', () => {
    draw({ quiet: true });
    expect(screen.queryByTestId('tells')).toBeNull();
    expect(screen.queryByTestId('section-table')).toBeNull();
  });
});

describe('plans side by side', () => {
  const version = (number: number, more: object = {}) => ({
    number,
    made_at: '2031-05-05T18:00:00Z',
    by: 'Ines',
    why: number === 3 ? ['pack 04: no longer in the day'] : [],
    state: 'best',
    finish_s: 9000,
    p90_s: 9600,
    sorties: 3,
    waits_s: 1500,
    stale: [],
    ...more,
  });

  it('lists who made which plan why, and what has changed since', async () => {
    serve({
      'GET /api/days/d1/plans': [version(3), version(2, { stale: ['swap: 4 min → 6 min'] })],
      'GET /api/days/d1/plans/2': plan({ number: 2, finish_s: 8400, packs: plan().packs.slice(0, 2) }),
      'GET /api/days': page([]),
    });
    render(Versions, { day: DAY, plan: plan() });
    const rows = (await screen.findAllByRole('row')).slice(1);
    expect(rows[0]).toHaveTextContent(/3.*Ines.*10:30.*pack 04: no longer in the day.*this is it/);
    expect(rows[1]).toHaveTextContent(/first plan.*! swap: 4 min → 6 min/);
    await fireEvent.click(screen.getByRole('button', { name: 'Side by side' }));
    const figures = await screen.findByTestId('compare');
    expect(within(figures).getByText('last landing').closest('tr')).toHaveTextContent('10:3010:20');
    expect(within(figures).getByText('packs in the day').closest('tr')).toHaveTextContent('52');
    expect(within(figures).getAllByRole('group', { name: /Section of the day/ })).toHaveLength(2);
  });

  it('takes another day, and says when it has no plan', async () => {
    serve({
      'GET /api/days/d1/plans': [],
      'GET /api/days': page([{ id: 'd2', name: 'Other', date: '2031-05-07' }]),
      'GET /api/days/d2': { day: { ...DAY, id: 'd2' }, plan: null, problem: { detail: 'Add a pack.' }, job_problems: [] },
    });
    render(Versions, { day: DAY, plan: plan() });
    expect(await screen.findByText('No plan is kept yet.')).toBeInTheDocument();
    await waitFor(() => expect(screen.getByText(/Other/)).toBeInTheDocument());
    await fireEvent.change(screen.getByRole('combobox'), { target: { value: 'd2' } });
    expect(await screen.findByRole('alert')).toHaveTextContent('Add a pack.');
  });
});

describe('the week', () => {
  const of = (id: string, date: string, finish: number | null) => ({
    id,
    name: `Day ${id}`,
    date,
    opens: '08:00',
    closes: '16:00',
    finish_s: finish,
    p90_s: null,
    windows: [[0, 28800]],
    flights: finish === null ? [] : [[0, 1200]],
    letters: ['S'],
  });

  it('lays seven dates side by side, each day a link that says what it flies', async () => {
    serve({ 'GET /api/days/d1/week': [of('d1', '2031-05-06', 9000), of('d2', '2031-05-08', null)] });
    render(Week, { day: DAY, number: 1 });
    const links = await screen.findAllByRole('link');
    expect(links.map((l) => l.getAttribute('aria-label'))).toEqual([
      'Day d1, Tuesday 6 May: 08:00 to 16:00, 1 sorties, last landing 10:30',
      'Day d2, Thursday 8 May: 08:00 to 16:00, 0 sorties, no plan yet',
    ]);
    expect(links[0]).toHaveAttribute('aria-current', 'date');
    expect(screen.getAllByText('–')).toHaveLength(5);
  });

  it('says when it stands alone, and when it cannot be read', async () => {
    serve({ 'GET /api/days/d1/week': new Refusal(503, '', 'No link to the server.') });
    render(Week, { day: DAY, number: 1 });
    expect(await screen.findByRole('alert')).toHaveTextContent('No link');
  });
});

describe('the packing list', () => {
  it('is ticked off by group', async () => {
    serve({
      'GET /api/days/d1/packing': [
        { group: 'Packs', what: 'pack 01', why: '100 % when the day opens' },
        { group: 'Charging', what: '6 l of petrol', why: 'the plan burns 4.4 l' },
      ],
    });
    render(Packing, { id: 'd1', number: 1 });
    await fireEvent.click(await screen.findByRole('checkbox', { name: /6 l of petrol, the plan burns 4.4 l/ }));
    expect(screen.getByText(/1 of 2 packed/)).toBeInTheDocument();
  });

  it('says why there is none', async () => {
    serve({ 'GET /api/days/d1/packing': new Refusal(422, 'packs', 'No pack for Wren.') });
    render(Packing, { id: 'd1', number: 1 });
    expect(await screen.findByRole('alert')).toHaveTextContent('No pack for Wren.');
  });
});

describe('a new day', () => {
  it('begins with the usual hours of the server; what was typed before they came stands', async () => {
    let come = (_: unknown) => {};
    const defaults = new Promise((done) => (come = done));
    const asked = serve({
      'GET /api/policy/defaults': () => defaults,
      'POST /api/days': () => ({ day: { id: 'd9' } }),
    });
    render(NewDay);
    const [opens, closes] = [screen.getByLabelText('Start'), screen.getByLabelText('End')];
    expect(screen.getByRole('button', { name: 'Make the day' })).toBeDisabled();
    await fireEvent.input(opens, { target: { value: '06:15' } });
    come([
      { key: 'day.opens_h', value: 7.5 },
      { key: 'day.closes_h', value: 16.25 },
    ]);
    await waitFor(() => expect(closes).toHaveValue('16:15'));
    expect(opens).toHaveValue('06:15');
    await fireEvent.click(screen.getByRole('button', { name: 'Make the day' }));
    await waitFor(() => expect(lastTo(asked, /\/api\/days$/)?.body).toMatchObject({ opens: '06:15', closes: '16:15' }));
  });
});
