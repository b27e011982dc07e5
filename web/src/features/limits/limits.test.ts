import { fireEvent, render, screen, waitFor, within } from '@testing-library/svelte';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { session } from '$shared/session.svelte';
import { notices } from '$shared/ui/notices.svelte';
import WindArrow, { pointOf } from '$shared/ui/WindArrow.svelte';
import { Refusal, lastTo, page, serve } from '../../test-server';
import AirForm from './components/AirForm.svelte';
import { gate, hour, PAGE, row } from './pieces.test.data';
import { ageWords, daylight, drawnHours, hourAfter, hourOf, measuredPoints, said, thinRows, thunderstorm } from './words/gate';
import GateChart from './components/GateChart.svelte';
import HourRows from './components/HourRows.svelte';
import LimitsScreen from './LimitsScreen.svelte';
import Sheets from './components/Sheets.svelte';

vi.mock('$app/navigation', () => ({ goto: vi.fn() }));
vi.mock('$app/state', () => ({ page: { url: new URL('http://x/limits?on=2031-05-06') } }));

const JOB = { id: 'j1', name: 'Top field', letter: 'S', kind: 'mapping' } as never;
const BANDS = { care: 0.75, no: 0.9 };
beforeEach(() => {
  session.me = {
    signed_in: true,
    units: 'metric',
    rights: ['limits:write', 'weather:write'],
    organisation: 'Crew',
  } as never;
});
afterEach(() => {
  notices.list = [];
});

describe('how the gate is drawn', () => {
  it('draws from before first light to after last light', () => {
    const hours = drawnHours(gate([5]));
    expect(hourOf(hours[0]!.at)).toBe('03:00');
    expect(hourOf(hours.at(-1)!.at)).toBe('21:00');
    const polar = gate([5], { sun: { dawn: null, sunrise: null, noon: 700, sunset: null, dusk: null } });
    expect(drawnHours(polar).length).toBeGreaterThan(10);
  });

  it('counts local time from UTC', () => {
    const east = drawnHours(gate([5], { sun_offset_min: -120 }));
    expect(hourOf(east[0]!.at)).toBe('05:00');
    expect(hourAfter('2031-05-06T23:00:00+02:00')).toBe('00:00');
  });

  it('keeps wind out of the thin rows and says values in the units of the person', () => {
    expect(thinRows(gate([5]))).toEqual(['rain_mm_h']);
    expect(said('gust_m_s', 10, 'metric')).toBe('10.0 m/s');
    expect(said('gust_m_s', 10, 'imperial')).toBe('22.4 mph');
    expect(said('spread_k', 3, 'imperial', 'K')).toBe('3.0 K');
    expect(said('charge_frac', 0.96, 'metric', '%', 100, 0)).toBe('96 %');
    expect(said('gust_m_s', null, 'metric')).toBe('not known');
  });

  it('says daylight and thunderstorms in words, with the clock of the site', () => {
    const winter = gate([5], { sun: { dawn: 420, sunrise: 460, noon: 700, sunset: 950, dusk: 1002 }, sun_offset_min: -60 });
    expect(daylight(winter, -43)).toBe('night: civil twilight begins 08:00, ends 17:42');
    expect(daylight(winter, -3)).toMatch(/^twilight: /);
    expect(daylight(winter, 12)).toMatch(/^day: /);
    const polar = gate([5], { sun: { dawn: null, sunrise: null, noon: 700, sunset: null, dusk: null } });
    expect(daylight(polar, -20)).toBe('night');
    expect([thunderstorm(0), thunderstorm(1)]).toEqual(['none reported', 'reported']);
  });

  it('places each reading once, and none that was taken back', () => {
    const reading = (id: string, withdrawn: boolean) => ({
      id,
      at: '2031-05-06T10:30:00Z',
      kind: 'measured' as const,
      figures: { gust_m_s: 9 },
      words: '',
      who: '',
      withdrawn,
    });
    const day = gate([5], { readings: [reading('a', false), reading('b', true)] });
    expect(measuredPoints(day, 'gust_m_s')).toEqual([{ x: 10.5, value: 9 }]);
    expect(measuredPoints(day, 'wind_m_s')).toEqual([]);
  });

  it('says how old a forecast is', () => {
    expect([null, 30, 1500, 4 * 3600].map(ageWords)).toEqual(['never fetched', 'just now', '25 min old', '4 h old']);
  });

  it('names where the wind comes from and draws where the wind blows to', () => {
    expect([0, 44, 238, 359, -90].map(pointOf)).toEqual(['north', 'north-east', 'south-west', 'north', 'west']);
    render(WindArrow, { from: 238 });
    expect(screen.getByText(/from 238°, south-west/)).toBeInTheDocument();
    expect(screen.getByRole('img', { name: 'the wind blows to north-east' })).toBeInTheDocument();
  });
});

describe('the chart of the gate', () => {
  it('gives each hour its verdict in words and walks by keys', async () => {
    render(GateChart, {
      day: gate([5, 5, 5, 5, 5, 5, 5, 5, 5, 5, 8, 12, null]),
      chosen: '2031-05-06T10:00:00+00:00',
      bands: BANDS,
    });
    expect(screen.getByRole('button', { name: /^09:00, Go, gust 5 m\/s from south-west/ })).toBeInTheDocument();
    expect(screen.getByRole('button', { name: /^11:00, No go, gust 12/ })).toBeInTheDocument();
    expect(screen.getByRole('button', { name: /^12:00, not known, no go$/ })).toBeInTheDocument();
    const ten = screen.getByRole('button', { name: /^10:00, Go with care/ });
    expect(ten).toHaveAttribute('aria-pressed', 'true');
    await fireEvent.keyDown(ten, { key: 'ArrowRight' });
    expect(screen.getByRole('button', { name: /^11:00/ })).toHaveAttribute('aria-pressed', 'true');
    expect(screen.getByText('limit 10')).toBeInTheDocument();
    expect(screen.getByText('no go 90 %')).toBeInTheDocument();
  });

  it('does without a limit or a forecast', () => {
    render(GateChart, { day: gate([null], { limits: [] }), chosen: '', bands: BANDS });
    expect(screen.queryByText(/^limit/)).not.toBeInTheDocument();
  });
});

describe('an hour', () => {
  it('puts what decides first, with whose limit it is and a working', async () => {
    const seen = serve({ 'GET /api/limits/moment/*/working/*': { title: 'Gust', value: -2, unit: 'm/s', note: '', steps: [] } });
    const one = hour('2031-05-06T10:00:00+00:00', 12, [row('air_c', 11, 'go'), row('visibility_m', null, 'no')]);
    render(HourRows, { day: gate([10]), hour: one, jobId: 'j1', quantities: PAGE.quantities });
    const rows = within(screen.getByTestId('hour-rows')).getAllByRole('row').slice(1);
    expect(rows[0]).toHaveTextContent('Gust at flying height');
    expect(rows[0]).toHaveTextContent(/12.0 m\/s.*forecast.*10.0 m\/s.*Skarra, data sheet.*No go/);
    expect(rows[1]).toHaveTextContent('not known');
    expect(rows.at(-1)).toHaveTextContent('11.0 °C');
    await fireEvent.click(screen.getByRole('button', { name: /gust at flying height: 12.0 m\/s. Show the working/ }));
    await waitFor(() => expect(lastTo(seen, /working\/gust_m_s/)).toBeTruthy());
  });
});

describe('the sheets side by side', () => {
  const draw = (more = {}) =>
    render(Sheets, { page: PAGE, gate: gate([5]), job: JOB, modelId: 'm1', onchange: vi.fn(), ...more });
  const line = (words: string) => screen.getByRole('row', { name: new RegExp(`^${words}`) });

  it('marks the strictest of each limit, each side by itself', () => {
    draw();
    expect(line('Gust')).toHaveTextContent(/12.0 m\/s.*10.0 m\/s decides.*11.0 m\/s/);
    expect(line('Air temperature')).toHaveTextContent(/-10.0 °C.*40.0 °C decides.*0.0 °C decides.*42.0 °C/);
    expect(line('Charge')).toHaveTextContent('96 % decides');
  });

  it('sends a changed limit in SI with its reason and offers undo', async () => {
    const seen = serve({ 'PUT /api/limits': PAGE });
    const onchange = vi.fn();
    draw({ onchange });
    await fireEvent.click(screen.getByRole('button', { name: 'Charge before take-off, Company, all work: change' }));
    await fireEvent.input(screen.getByLabelText('at least, %'), { target: { value: '90' } });
    await fireEvent.input(screen.getByLabelText(/^why/), { target: { value: 'cut to the charge' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Set it' }));
    await waitFor(() => expect(onchange).toHaveBeenCalled());
    const body = lastTo(seen, /limits/)!.body as { level: string; version: number; rules: { key: string; least: number }[] };
    expect([body.level, body.version]).toEqual(['organisation', 2]);
    expect(body.rules.find((r) => r.key === 'charge_frac')).toMatchObject({ least: 0.9, why: 'cut to the charge' });
    expect(body.rules).toHaveLength(3);
    expect(notices.list[0]?.undo).toBeDefined();
  });

  it('keeps what was typed when it is refused, and refuses what is no number by itself', async () => {
    serve({ 'PUT /api/limits': new Refusal(422, 'gust_m_s', 'Say why: where the limit comes from.') });
    draw();
    await fireEvent.click(screen.getByRole('button', { name: 'Gust at flying height, Top field, this job: set a limit' }));
    const most = screen.getByLabelText('at most, m/s');
    expect(screen.queryByLabelText(/at least/)).not.toBeInTheDocument();
    await fireEvent.input(most, { target: { value: 'nine' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Set it' }));
    expect(await screen.findByRole('alert')).toHaveTextContent('Type a number');
    await fireEvent.input(most, { target: { value: '9' } });
    await fireEvent.click(screen.getByRole('button', { name: 'Set it' }));
    expect(await screen.findByText('Say why: where the limit comes from.')).toBeInTheDocument();
    expect(most).toHaveValue('9');
  });

  it('takes a limit out, adds another quantity, and shows who changed what', async () => {
    const change = { at: '2031-05-01T10:00:00Z', who: 'Ines', before: [], after: PAGE.sheets[2]!.rules };
    const seen = serve({ 'PUT /api/limits': PAGE, 'GET /api/limits/sheets/*/history': [change] });
    draw();
    await fireEvent.click(screen.getByRole('button', { name: 'Gust at flying height, mapping, kind of work: change' }));
    await fireEvent.click(screen.getByRole('button', { name: 'Take it out' }));
    await waitFor(() => expect((lastTo(seen, /limits$/)!.body as { rules: unknown[] }).rules).toEqual([]));
    await waitFor(() => expect(screen.queryByRole('button', { name: 'Take it out' })).not.toBeInTheDocument());
    await fireEvent.change(screen.getByLabelText('Limit something else'), { target: { value: 'rain_mm_h' } });
    expect(await screen.findByRole('button', { name: 'Rain, Company, all work: set a limit' })).toBeInTheDocument();
    await fireEvent.click(screen.getAllByRole('button', { name: 'who changed what' })[1]!);
    expect(await screen.findByText(/Gust at flying height: none → – to 11.0 m\/s/)).toBeInTheDocument();
  });

  it('begins with usual values where there are none, and lets nobody set them without the right', async () => {
    session.me = { ...session.me!, rights: [] } as never;
    serve({ 'POST /api/limits/starter': PAGE });
    draw({ page: { ...PAGE, sheets: [] } });
    expect(screen.getByText(/nothing is ever a go without them/)).toBeInTheDocument();
    expect(screen.getByRole('button', { name: 'Begin with usual values' })).toBeDisabled();
  });
});

describe('what is measured', () => {
  const draw = (more = {}) => render(AirForm, { place: [7.1, 46.2], readings: [], onchange: vi.fn(), ...more });
  const type = async (label: string, value: string) => {
    const field = screen.getByLabelText(label);
    await fireEvent.input(field, { target: { value } });
    await fireEvent.blur(field);
  };

  it('sends figures in SI with a key, and says that it takes precedence over the forecast', async () => {
    session.me = { ...session.me!, units: 'imperial' } as never;
    const seen = serve({ 'POST /api/weather/readings': { id: 'r1' } });
    const onchange = vi.fn();
    draw({ onchange });
    await type('Gust', '20');
    await type('Air', '50');
    await fireEvent.click(screen.getByRole('button', { name: 'Record' }));
    await waitFor(() => expect(onchange).toHaveBeenCalled());
    const body = lastTo(seen, /readings/)!.body as { key: string; lon: number; figures: Record<string, number> };
    expect(body.figures.gust_m_s).toBeCloseTo(8.94, 2);
    expect(body.figures.air_c).toBeCloseTo(10, 6);
    expect(body.key).toHaveLength(36);
    expect(notices.list[0]?.text).toMatch(/precedence over the forecast/);
  });

  it('shows a refusal at its field and keeps what was typed', async () => {
    serve({ 'POST /api/weather/readings': new Refusal(422, 'gust_m_s', 'The gust lies below the mean wind.') });
    draw();
    await type('Gust', '3');
    await fireEvent.click(screen.getByRole('button', { name: 'Record' }));
    expect(await screen.findByText('The gust lies below the mean wind.')).toBeInTheDocument();
    expect(screen.getByLabelText('Gust')).toHaveAttribute('aria-invalid', 'true');
    expect(screen.getByLabelText('Gust')).toHaveValue('3');
  });

  it('reads a report and says what it lacks', async () => {
    const reading = {
      id: 'r',
      at: '2031-05-06T10:20:00Z',
      kind: 'report',
      figures: { wind_m_s: 4 },
      words: 'ZZZZ …',
      who: '',
      withdrawn: false,
    };
    serve({
      'POST /api/weather/reports': {
        reading,
        report: {
          station: 'ZZZZ',
          lacks: ['visibility'],
          unread: ['R27/0900'],
          weather: '',
          sky: [],
          qnh_hpa: null,
          varies_deg: null,
        },
      },
    });
    draw({ readings: [reading] });
    expect(screen.getByRole('button', { name: 'Read it' })).toBeDisabled();
    await fireEvent.click(screen.getByRole('button', { name: 'Newest from the service' }));
    expect(await screen.findByText('It does not say: visibility.')).toBeInTheDocument();
    expect(screen.getByText(/Not read: R27/)).toBeInTheDocument();
    expect(screen.getAllByText(/mean 4.0 m\/s/).length).toBeGreaterThan(0);
  });

  it('says every wrong cell of a table', async () => {
    serve({
      'POST /api/weather/table': { kept: 0, problems: [{ line: 3, column: 'gust_m_s', message: 'storm is no number.' }] },
    });
    draw();
    const input = screen.getByLabelText('Table of readings');
    await fireEvent.change(input, { target: { files: [new File(['time,gust_m_s\n'], 'day.csv')] } });
    expect(await screen.findByText('line 3, gust_m_s: storm is no number.')).toBeInTheDocument();
  });

  it('cannot be entered without the right', () => {
    session.me = { ...session.me!, rights: [] } as never;
    draw();
    expect(screen.getByRole('button', { name: 'Record' })).toBeDisabled();
    expect(screen.getByText(/rests on the forecast alone/)).toBeInTheDocument();
  });
});

describe('the screen of limits', () => {
  const ANSWERS = {
    'GET /api/limits': PAGE,
    'GET /api/jobs': page([JOB]),
    'GET /api/jobs/*': { job: { id: 'j1', home: [7.1, 46.2], area: [], aircraft_model_id: 'm1' }, plan: null, problem: null },
    'GET /api/fleet': {
      aircraft_models: [
        { id: 'm1', name: 'Skarra' },
        { id: 'm2', name: 'Brunt' },
      ],
    },
    'GET /api/policy': { version: 1, settings: [{ key: 'limits.gust_no_frac', value: 0.8 }] },
    'GET /api/limits/gate/*': gate([5, 5, 5, 5, 5, 5, 5, 5, 5, 5, 12]),
  };

  it('shows the gate, the hour, the next window and the bands of the policy', async () => {
    serve(ANSWERS);
    render(LimitsScreen);
    expect(await screen.findByTestId('hour-word')).toHaveTextContent('No go');
    expect(screen.getByTestId('next-window')).toHaveTextContent(/Next window/);
    expect(screen.getByText('no go 80 %')).toBeInTheDocument();
    expect(screen.getByText(/simulated weather service/)).toBeInTheDocument();
  });

  it('tries another aircraft in the same hour', async () => {
    const seen = serve({ ...ANSWERS, 'GET /api/limits/moment/*': hour('2031-05-06T10:00:00+00:00', 6) });
    render(LimitsScreen);
    await screen.findByTestId('hour-word');
    await fireEvent.change(screen.getByLabelText('try it with'), { target: { value: 'm2' } });
    await waitFor(() => expect(screen.getByTestId('hour-word')).toHaveTextContent(/^\s*Go\s*$/));
    expect(lastTo(seen, /moment/)).toBeTruthy();
  });

  it('says that the service is silent and what to do', async () => {
    const silent = gate([null], { next: null });
    silent.service = { ...silent.service, issued_at: null, age_s: null, problem: 'The weather service does not answer.' };
    serve({ ...ANSWERS, 'GET /api/limits/gate/*': silent });
    render(LimitsScreen);
    expect(await screen.findByTestId('service-problem')).toHaveTextContent(/does not answer.*Enter what you measure/);
    expect(screen.getByTestId('hour-word')).toHaveTextContent('No go: not known');
    expect(screen.getByTestId('next-window')).toHaveTextContent('No window comes that is known');
  });

  it('leads to a first job where there is none', async () => {
    serve({ ...ANSWERS, 'GET /api/jobs': page([]) });
    render(LimitsScreen);
    expect(await screen.findByText(/There is no job yet/)).toBeInTheDocument();
  });
});
