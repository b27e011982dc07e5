import 'fake-indexeddb/auto';
import { fireEvent, render, screen, waitFor, within } from '@testing-library/svelte';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { session } from '$shared/session.svelte';
import { lastTo, serve, type Asked } from '../../test-server';
import LiveScreen from './LiveScreen.svelte';
import { whose } from './state/whose';
import { isOf } from './words/calls';
import { ofAircraft, ofEmergency, ofPack, ofPort } from './words/doings';
import { callOf as call, liveDay as live } from './live.test.data';

vi.mock('$app/navigation', () => ({ goto: vi.fn() }));
vi.mock('$app/state', () => ({ page: { url: new URL('http://x/days/d/live') } }));
let days = 0;
const fresh = () => `order-${++days}`;
const still = () => new Promise((r) => setTimeout(r, 450));
const LAUNCH = call('launch', 1000, { flight: 'S1', set: '01' });
const ON = call('on_port', 1100, { pack: '03', port: 1, mode: 'fast' });
const pack = (name: string, more: object = {}) => ({ ...live().packs[0]!, name, set: name, ...more });

beforeEach(() => {
  localStorage.clear();
  session.me = { id: 1, signed_in: true, units: 'metric', rights: ['day:run'], role: 'lead', organisation: 'Crew' } as never;
});

async function open(day = live({ calls: [LAUNCH, ON] })) {
  const id = fresh();
  const seen = serve({
    'GET /api/days/*/live': { live: day },
    'POST /api/days/*/events': (asked: Asked) => ({
      taken: (asked.body as { events: { key: string }[] }).events.map((e) => e.key),
      refused: [],
      turned: false,
      clock_off_s: 0,
      live: day,
    }),
  });
  render(LiveScreen, { id });
  await screen.findByTestId('live');
  await still();
  const told = async () => {
    await waitFor(() => expect(lastTo(seen, new RegExp(`${id}/events`))).toBeTruthy());
    return (lastTo(seen, new RegExp(`${id}/events`))!.body as { events: { kind: string; figures: object }[] }).events[0]!;
  };
  return { told };
}

describe('what happens first', () => {
  it('is recorded first: a call further down is chosen and answered', async () => {
    const { told } = await open();
    await fireEvent.click(screen.getByTestId('later'));
    expect(screen.getByRole('heading', { name: /Pack 03\s*on port 1/ })).toBeInTheDocument();
    expect(screen.getByRole('button', { name: 'Back to next call' })).toBeInTheDocument();
    await still();
    await fireEvent.click(screen.getByTestId('answer'));
    expect(await told()).toMatchObject({ kind: 'on_port', figures: { pack: '03', port: 1 } });
  });

  it('asks before a pack is taken off its port long before it is full', async () => {
    const { told } = await open(
      live({
        calls: [call('off_port', 4000, { pack: '03', port: 1 })],
        packs: [pack('03', { word: 'port', port: 1, frac: 0.64 })],
      }),
    );
    await fireEvent.click(screen.getByTestId('answer'));
    const asked = await screen.findByRole('dialog');
    expect(asked).toHaveTextContent(/is at 64\s?% now/);
    await fireEvent.click(within(asked).getByRole('button', { name: /off/ }));
    expect(await told()).toMatchObject({ kind: 'off_port', figures: { pack: '03' } });
  });

  it('is recorded at the pack, the port or the aircraft, whatever is called', async () => {
    const { told } = await open();
    await fireEvent.click(screen.getByRole('button', { name: /Pack 01: rests, 100 %/ }));
    await fireEvent.click(await screen.findByRole('button', { name: /Hot or swollen/ }));
    expect(await told()).toMatchObject({ kind: 'pack_out', figures: { pack: '01', why: 'hot or swollen' } });
  });

  it('asks before it takes a sortie out of the day', async () => {
    const { told } = await open();
    await fireEvent.click(screen.getByRole('button', { name: /Launch or check/ }));
    await fireEvent.click(await screen.findByRole('button', { name: /Give up S1/ }));
    expect(screen.getByText(/What it was to do stays undone/)).toBeInTheDocument();
    await fireEvent.click(screen.getByRole('button', { name: 'Give up S1' }));
    expect(await told()).toMatchObject({ kind: 'dropped', figures: { flight: 'S1' } });
  });

  it('takes the charge that a pack shows', async () => {
    const { told } = await open();
    await fireEvent.click(screen.getByRole('button', { name: /Pack 01/ }));
    await fireEvent.input(await screen.findByRole('textbox', { name: /Charge it shows/ }), { target: { value: '140' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Record charge' }));
    expect(screen.getByText('Charge lies between 0 and 100 %.')).toBeInTheDocument();
    await fireEvent.input(screen.getByRole('textbox', { name: /Charge it shows/ }), { target: { value: '83' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Record charge' }));
    expect(await told()).toMatchObject({ kind: 'off_port', figures: { pack: '01', frac: 0.83 } });
  });
});

describe('an aircraft in the air', () => {
  const up = { ...live().flights[0]!, word: 'airborne' as const, lands_s: 2200 };
  const craft = [{ ...live().aircraft[0]!, flight: 'S1', next: '' }];
  const day = (more: object = {}) =>
    live({ flights: [{ ...up, ...more }], aircraft: craft, calls: [call('land', 2200, { flight: 'S1', set: '01' })] });

  it.each([
    ['Coming home', 'homing'],
    ['Emergency', 'emergency'],
  ])('is one tap away from %s', async (name, kind) => {
    const { told } = await open(day());
    await fireEvent.click(screen.getByRole('button', { name: new RegExp(name) }));
    expect(await told()).toMatchObject({ kind, figures: { flight: 'S1' } });
  });

  it('opens the landing of what came early with a tap, and of what turned home as early by itself', async () => {
    await open(day());
    await fireEvent.click(screen.getByRole('button', { name: 'Landed early' }));
    expect(screen.getByRole('textbox', { name: /Route completed/ })).toBeInTheDocument();
  });

  it('that turned home says so and lands early', async () => {
    await open(day({ homing_s: 1500, lands_s: 1600 }));
    expect(screen.getByTestId('air')).toHaveTextContent('coming home, lands');
    expect(screen.getByRole('button', { name: 'Coming home' })).toBeDisabled();
    await fireEvent.click(screen.getByTestId('answer'));
    expect(screen.getByRole('textbox', { name: /Route completed/ })).toBeInTheDocument();
  });
});

describe('an emergency', () => {
  const day = live({ calls: [call('emergency', 900, { flight: 'S1' }), ON] });
  it('comes before what was chosen, is shown to everybody, and a loss is asked about', async () => {
    whose.keep({ id: 1 }, 'handler');
    const { told } = await open(day);
    await fireEvent.click(screen.getByTestId('later'));
    expect(screen.getByRole('heading', { name: /Emergency\s*S1, Wren/ })).toBeInTheDocument();
    await still();
    await fireEvent.click(screen.getByRole('button', { name: /^Lost/ }));
    expect(await screen.findByText(/Its packs and its other sorties leave the day/)).toBeInTheDocument();
    await fireEvent.click(screen.getByRole('button', { name: 'Lost' }));
    expect(await told()).toMatchObject({ kind: 'lost', figures: { flight: 'S1' } });
  });
});

describe('whose calls', () => {
  it('are those of the role until somebody chooses, and the choice stays on the device', async () => {
    expect(whose.of({ id: 4, role: 'handler' })).toBe('handler');
    expect(whose.of({ id: 4, role: 'lead' })).toBe('all');
    await open();
    await fireEvent.click(screen.getByRole('button', { name: /Charging/ }));
    expect(screen.getByRole('heading', { name: /Pack 03\s*on port 1/ })).toBeInTheDocument();
    expect(screen.queryByTestId('later')).toBeNull();
    expect(whose.of({ id: 1, role: 'lead' })).toBe('handler');
  });

  it('leave nothing to nobody: what the lead answers the pilot sees too', () => {
    const kinds = ['launch', 'land', 'on_port', 'gate', 'close', 'emergency'].map((k) => call(k, 0));
    expect(kinds.every((c) => isOf(c, 'pilot') || isOf(c, 'handler'))).toBe(true);
    expect(kinds.filter((c) => isOf(c, 'handler')).map((c) => c.kind)).toEqual(['on_port', 'emergency']);
  });
});

describe('what may be said', () => {
  it('of a pack is what can be: free ports that take it, and nothing of one that is lost', () => {
    const day = live({
      ports: [1, 2, 3].map((n) => ({ ...live().ports[0]!, port: n, dead: n === 3, pack: n === 2 ? '09' : '' })),
    });
    const words = (p: object) => ofPack(pack('05', p), day).map((d) => d.words);
    expect(words({ charges_on: [1, 2, 3] })[0]).toBe('Put 05 on port 1');
    expect(words({ charges_on: [2, 3] })[0]).toBe('Hot or swollen');
    expect(words({ word: 'port', port: 2, charges_on: [1, 2] }).slice(0, 2)).toEqual(['Take 05 off port 2', 'Put 05 on port 1']);
    expect(words({ word: 'out', why: 'weak' })).toEqual(['05 flies again']);
    expect(words({ word: 'out', why: 'lost with S1' })).toEqual([]);
  });

  it('of a port is what rests and it takes, fullest first; a fault; or that it works again', () => {
    const packs = [pack('01'), pack('02', { frac: 0.4 }), pack('03', { frac: 0.7 }), pack('04', { frac: 0.5, charges_on: [2] })];
    const day = live({ packs });
    const free = { ...live().ports[0]!, port: 1 };
    expect(ofPort(free, day).map((d) => d.words)).toEqual(['Put 03 on port 1', 'Put 02 on port 1', 'Report fault']);
    expect(ofPort({ ...free, dead: true }, day)[0]!.tap.kind).toBe('port_back');
    expect(ofPort({ ...free, pack: '02' }, day).map((d) => d.tap.kind)).toEqual(['off_port', 'pack_out', 'port_dead']);
  });

  it('of an aircraft is its next sortie on any set that it takes and that is here', () => {
    const packs = [pack('01', { frac: 0.6 }), pack('02'), pack('03', { word: 'air' }), pack('04')];
    const a = { ...live().aircraft[0]!, sets: ['01', '02', '03'] };
    expect(ofAircraft(a, live({ packs })).map((d) => d.words)).toEqual([
      'S1 is up on 02',
      'S1 is up on 01',
      'Preflight done',
      'Give up S1',
    ]);
    expect(ofEmergency(call('emergency', 0, { flight: 'S1' })).map((d) => !!d.ask)).toEqual([false, true]);
  });
});
