<!-- What is measured on site, or a report pasted: both beat the forecast while they are fresh. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import { hourOf } from '../words/gate';

  interface Props {
    place: [number, number] | null;
    readings: Schemas['ReadingOut'][];
    onchange: () => void;
  }
  let { place, readings, onchange }: Props = $props();
  type Figures = Schemas['AirFigures'];
  const EMPTY: Figures = {
    wind_m_s: null,
    gust_m_s: null,
    from_deg: null,
    height_m: 2,
    air_c: null,
    dew_point_c: null,
    pressure_hpa: null,
    rain_mm_h: null,
    snow_mm_h: null,
    visibility_m: null,
    ceiling_m: null,
    thunder: false,
  };
  let figures = $state<Figures>({ ...EMPTY });
  let text = $state('');
  let problem = $state.raw<Problem | null>(null);
  let reportProblem = $state('');
  let told = $state.raw<Schemas['ReportOut'] | null>(null);
  let tableProblems = $state.raw<Schemas['TableProblem'][]>([]);
  let busy = $state(false);
  let key = crypto.randomUUID() as string;
  let file: HTMLInputElement | undefined = $state();
  const writable = $derived(session.may('weather:write') && !!place);
  const FIELDS = [
    ['gust_m_s', 'Gust', 'm_s', ''],
    ['wind_m_s', 'Mean wind', 'm_s', ''],
    ['from_deg', 'comes from', null, '°'],
    ['height_m', 'read at a height of', 'm', ''],
    ['air_c', 'Air', 'c', ''],
    ['dew_point_c', 'Dew point', 'c', ''],
    ['visibility_m', 'Visibility', 'm', ''],
    ['rain_mm_h', 'Rain', null, 'mm/h'],
  ] as const;
  const at = (field: string) => (problem?.field === field || problem?.field === `figures.${field}` ? problem.detail : '');

  async function keep(e: SubmitEvent) {
    e.preventDefault();
    busy = true;
    const { data, problem: bad } = await call('POST', '/api/weather/readings', {
      body: { key, lon: place![0], lat: place![1], figures },
    });
    busy = false;
    problem = bad;
    if (!data) return;
    key = crypto.randomUUID();
    figures = { ...EMPTY, height_m: figures.height_m ?? null };
    notices.say('Measured. It takes precedence over the forecast now', { undo: () => void back(data.id, true) });
    onchange();
  }
  async function back(id: string, withdrawn: boolean) {
    const { problem: bad } = await call('PUT', '/api/weather/readings/{reading_id}', {
      params: { path: { reading_id: id } },
      body: { withdrawn },
    });
    if (bad) notices.say(bad.detail, { bad: true });
    else if (withdrawn) notices.say('Taken back', { undo: () => void back(id, false) });
    onchange();
  }
  async function report(fromDesk: boolean) {
    busy = true;
    const { data, problem: bad } = await call('POST', '/api/weather/reports', {
      body: { lon: place![0], lat: place![1], text: fromDesk ? '' : text },
    });
    busy = false;
    reportProblem = bad?.detail ?? '';
    told = data;
    if (!data) return;
    text = data.reading.words;
    onchange();
  }
  async function table(files: FileList | null | undefined) {
    const one = files?.[0];
    if (!one) return;
    const form = new FormData();
    form.append('file', one);
    form.append('lon', String(place![0]));
    form.append('lat', String(place![1]));
    const { data, problem: bad } = await call('POST', '/api/weather/table', {
      body: form as never,
      bodySerializer: (b) => b as never,
    });
    tableProblems = data?.problems ?? [];
    if (bad) notices.say(bad.detail, { bad: true });
    else if (data?.kept) {
      notices.say(`${data.kept} readings taken over`);
      onchange();
    }
    if (file) file.value = '';
  }
  const figureWords = (r: Schemas['ReadingOut']) => {
    const f = r.figures as Record<string, number>;
    const parts = [
      f.gust_m_s !== undefined ? `gust ${show(f.gust_m_s, 'm_s', session.units)}` : '',
      f.wind_m_s !== undefined ? `mean ${show(f.wind_m_s, 'm_s', session.units)}` : '',
      f.from_deg !== undefined ? `from ${Math.round(f.from_deg)}°` : '',
      f.height_m !== undefined ? `at ${show(f.height_m, 'm', session.units)}` : '',
      f.air_c !== undefined ? show(f.air_c, 'c', session.units) : '',
    ];
    return parts.filter(Boolean).join(', ');
  };
</script>

<div class="grid grid-cols-2 gap-x-10 gap-y-6 max-tablet:grid-cols-1">
  <form onsubmit={keep} aria-label="Measured on site">
    <h2 class="mb-2">Measured on site</h2>
    <div class="grid grid-cols-2 gap-x-6 gap-y-1.5 max-phone:grid-cols-1">
      {#each FIELDS as [k, label, quantity, unit] (k)}
        <NumberField
          {label}
          quantity={quantity ?? undefined}
          {unit}
          digits={quantity === 'm' ? 0 : 1}
          value={figures[k] ?? null}
          disabled={!writable}
          onchange={(v) => (figures = { ...figures, [k]: v })}
          problem={at(k)} />
      {/each}
    </div>
    <div class="mt-2 flex items-center gap-4">
      <label class="flex min-h-touch items-center gap-2"
        ><input
          type="checkbox"
          checked={figures.thunder}
          disabled={!writable}
          onchange={(e) => (figures = { ...figures, thunder: e.currentTarget.checked })} />thunder heard</label>
      <button class="button dark ml-auto" disabled={!writable || busy}>Record</button>
    </div>
    {#if problem && !FIELDS.some(([k]) => at(k))}<p class="problem mt-1" role="alert">{problem.detail}</p>{/if}
  </form>
  <div>
    <h2 class="mb-2">A report, or a table</h2>
    <label class="block"
      ><span class="quiet">METAR, as it was copied</span>
      <textarea
        class="input mt-1 !min-h-tap-large py-2"
        rows="2"
        disabled={!writable}
        bind:value={text}
        placeholder="ZZZZ 121350Z 24015G28KT …"></textarea
      ></label>
    <div class="mt-1.5 flex flex-wrap gap-2">
      <button class="button" type="button" disabled={!writable || busy || !text.trim()} onclick={() => report(false)}
        >Read it</button>
      <button class="button" type="button" disabled={!writable || busy} onclick={() => report(true)}
        >Newest from the service</button>
      <button class="button" type="button" disabled={!writable} onclick={() => file?.click()}>Table of readings (CSV)</button>
      <input
        bind:this={file}
        class="visually-hidden"
        type="file"
        accept=".csv,text/csv"
        tabindex="-1"
        aria-label="Table of readings"
        onchange={(e) => table(e.currentTarget.files)} />
    </div>
    {#if reportProblem}<p class="problem mt-1" role="alert">{reportProblem}</p>{/if}
    {#if told}<p class="mt-2 text-small" role="status">
        {told.report.station} at {told.reading.at.slice(11, 16)} UTC: {figureWords(told.reading)}{told.report.weather
          ? `, ${told.report.weather}`
          : ''}.
        {#if told.report.lacks.length}<b class="text-copper">It does not say: {told.report.lacks.join(', ')}.</b>{/if}
        {#if told.report.unread.length}<span class="quiet">Not read: {told.report.unread.join(' ')}.</span>{/if}
      </p>{/if}
    {#each tableProblems as p, k (k)}<p class="problem text-small">line {p.line}, {p.column}: {p.message}</p>{/each}
  </div>
</div>
<h2 class="mb-1 mt-5">Readings of this date</h2>
{#if !readings.length}<p class="quiet">None yet. The weather window rests on the forecast alone.</p>{/if}
<ul class="m-0 list-none p-0">
  {#each readings as r (r.id)}
    <li class="flex flex-wrap items-center gap-x-4 border-b border-rule py-1 text-small">
      <b>{hourOf(new Date(r.at).toISOString())} UTC</b><span class="quiet">{r.kind}</span><span>{figureWords(r)}</span><span
        class="quiet">{r.who}</span>
      <button class="button plain ml-auto" disabled={!writable} onclick={() => back(r.id, true)}>Take it back</button>
    </li>
  {/each}
</ul>
