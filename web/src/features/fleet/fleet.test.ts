import { fireEvent, render, screen, waitFor, within } from '@testing-library/svelte';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { session } from '$shared/session.svelte';
import { Refusal, serve } from '../../test-server';
import FleetScreen from './FleetScreen.svelte';
import { columnsOf, type Field, type Form } from './nouns';

const at = vi.hoisted(() => ({ url: new URL('http://x/fleet') }));
vi.mock('$app/state', () => ({ page: at }));

const figure = (key: string, label: string, more: Partial<Field> = {}): Field => ({
  key,
  label,
  kind: 'number',
  unit: '',
  scale: 1,
  digits: null,
  quantity: null,
  optional: false,
  aside: false,
  choices: [],
  of: null,
  begins: null,
  ...more,
});
const noun = (name: Form['noun'], one: string, figures: Field[], item = false): Form => ({
  noun: name,
  item,
  title: `All ${one}s`,
  one,
  empty: `No ${one}s yet.`,
  right: 'fleet:write',
  figures: [figure('name', 'Name', { kind: 'text', begins: '' }), ...figures],
});
const FORMS: Form[] = [
  noun('chargers', 'charger', [figure('model_id', 'Model', { kind: 'thing', of: 'charger-models', begins: '' })], true),
  noun('charger-models', 'model of charger', [
    figure('ports', 'Ports', { kind: 'whole', digits: 0, begins: 2 }),
    figure('kept_frac', 'Kept back', { unit: '%', scale: 100, digits: 0, begins: 0.2 }),
    figure('fan', 'Has a fan', { kind: 'yes', begins: false }),
    figure('plug', 'Plug', { kind: 'choice', choices: [{ value: 'a', label: 'flat pins' }], begins: 'a' }),
    figure('notes', 'Notes', { kind: 'text', aside: true, begins: '' }),
  ]),
];
const THING = { id: 't1', version: 3, archived: false };
const FLEET = {
  chargers: [{ ...THING, name: 'C1', model_id: 'm1' }],
  charger_models: [{ ...THING, id: 'm1', name: 'Twin', ports: 2, kept_frac: 0.25, fan: true, plug: 'a', notes: 'old' }],
};
const SERVED = { 'GET /api/fleet': FLEET, 'GET /api/fleet/forms': FORMS };

beforeEach(() => {
  session.me = { signed_in: true, units: 'metric', rights: ['fleet:write'], organisation: 'Crew' } as never;
  at.url = new URL('http://x/fleet?of=charger-models');
});

describe('what the server describes', () => {
  it('is a table: name first, ticks and what stands aside left out, shares as percent, choices by their words', async () => {
    serve(SERVED);
    render(FleetScreen);
    const table = await screen.findByTestId('fleet');
    const heads = within(table).getAllByRole('columnheader');
    expect(heads.map((h) => h.textContent)).toEqual(['name', 'ports', 'kept back', 'plug', 'what can be done']);
    const cells = within(table).getAllByRole('cell').slice(1, 4);
    expect(cells.map((c) => c.textContent)).toEqual(['2', '25 %', 'flat pins']);
    expect(columnsOf(FORMS[1]!).map((f) => f.key)).toEqual(['ports', 'kept_frac', 'plug']);
  });

  it('shows a thing chosen from another noun by its name', async () => {
    at.url = new URL('http://x/fleet?of=chargers');
    serve(SERVED);
    render(FleetScreen);
    expect(within(await screen.findByTestId('fleet')).getByText('Twin')).toBeInTheDocument();
  });

  it('is a form that begins with what is given, sends what is stored and shows a refusal at its field', async () => {
    const refusal = new Refusal(422, 'kept_frac', 'Kept back is 90 %; give a value from 0 to 60 %.');
    const seen = serve({ ...SERVED, 'POST /api/fleet/charger-models': refusal });
    render(FleetScreen);
    await fireEvent.click(await screen.findByRole('button', { name: 'Add a model of charger' }));
    await fireEvent.input(screen.getByLabelText('Name'), { target: { value: 'Quad' } });
    const kept = screen.getByRole('textbox', { name: /Kept back/ });
    expect(kept).toHaveValue('20');
    await fireEvent.input(kept, { target: { value: '90' } });
    await fireEvent.change(kept);
    await fireEvent.blur(kept);
    await fireEvent.click(screen.getByRole('button', { name: 'Add the model of charger' }));
    expect(await screen.findByText(refusal.detail)).toBeInTheDocument();
    expect(seen.find((a) => a.method === 'POST')!.body).toEqual({
      name: 'Quad',
      ports: 2,
      kept_frac: 0.9,
      fan: false,
      plug: 'a',
      notes: '',
    });
  });

  it('adds several alike at once with their serial numbers, and leads to what was refused', async () => {
    at.url = new URL('http://x/fleet?of=packs');
    const serial = figure('serial', 'Serial', { kind: 'text', begins: '' });
    const packs = { ...noun('packs', 'pack', [serial], true), right: 'fleet:write' as const };
    const refusal = new Refusal(409, 'name', 'P02: There is already one called P02. Choose another name.');
    let answer: unknown = refusal;
    const seen = serve({
      'GET /api/fleet': { ...FLEET, packs: [] },
      'GET /api/fleet/forms': [packs],
      'POST /api/fleet/packs/alike': () => answer,
    });
    render(FleetScreen);
    await fireEvent.click((await screen.findAllByRole('button', { name: 'Add a pack' }))[0]!);
    const name = screen.getByLabelText('Name');
    await fireEvent.input(name, { target: { value: 'P01' } });
    const count = screen.getByRole('textbox', { name: /How many alike/ });
    await fireEvent.input(count, { target: { value: '3' } });
    await fireEvent.blur(count);
    await fireEvent.input(await screen.findByLabelText(/Serial numbers/), { target: { value: 'A1\n\nA3\n' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Add 3' }));
    expect(await screen.findByText(refusal.detail)).toBeInTheDocument();
    await waitFor(() => expect(name).toHaveFocus());
    answer = ['P01', 'P02', 'P03'].map((n) => ({ ...THING, id: n, name: n }));
    await fireEvent.click(screen.getByRole('button', { name: 'Add 3' }));
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull());
    expect(seen.filter((a) => a.method === 'POST').at(-1)!.body).toEqual({
      of: { name: 'P01', serial: '' },
      count: 3,
      serials: ['A1', '', 'A3'],
    });
  });

  it('says what was refused where nothing could be read, and tries again', async () => {
    serve({ 'GET /api/fleet': new Refusal(500, '', 'The server did not answer.'), 'GET /api/fleet/forms': FORMS });
    render(FleetScreen);
    expect(await screen.findByRole('alert')).toHaveTextContent('The server did not answer.');
    expect(screen.getByRole('button', { name: 'Try again' })).toBeInTheDocument();
  });
});
