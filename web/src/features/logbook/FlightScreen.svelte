<!-- One flight: its curves with phases and events, its track against the plan, its figures, and what it is a flight of. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { digits, minutes, percent, show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import WindArrow from '$shared/ui/WindArrow.svelte';
  import Why from '$shared/working/Why.svelte';
  import { AlertDialog } from 'bits-ui';
  import { againstPlan, dayAndClock, FIGURES, lessonFigure, SUBJECTS } from './words/book';
  import ColumnsUsed from './components/ColumnsUsed.svelte';
  import FlightCurves from './components/FlightCurves.svelte';
  import LogbookNav from './components/LogbookNav.svelte';
  import Track from './components/Track.svelte';
  import WhatItIs from './components/WhatItIs.svelte';

  let { id }: { id: string } = $props();
  type Page = Schemas['FlightPage'];
  let flight = $state.raw<Page | null>(null);
  let failed = $state('');
  let problem = $state.raw<Problem | null>(null);
  let at = $state<number | null>(null);
  let note = $state('');
  let deleting = $state(false);
  const may = $derived(session.may('logs:read'));
  const f = $derived(flight?.figures ?? null);

  async function load() {
    const { data, problem: bad } = await call('GET', '/api/logbook/flights/{flight_id}', { params: { path: { flight_id: id } } });
    failed = bad?.detail ?? '';
    if (data) put(data);
  }
  function put(data: Page) {
    flight = data;
    note = data.note;
  }
  void load();

  // One after the other: each goes by the version that the one before it left.
  let before: Promise<unknown> = Promise.resolve();
  function change(what: Partial<Schemas['FlightIn']>): Promise<boolean> {
    const mine = before.then(() => send(what));
    before = mine;
    return mine;
  }
  async function send(what: Partial<Schemas['FlightIn']>): Promise<boolean> {
    const { data, problem: bad } = await call('PATCH', '/api/logbook/flights/{flight_id}', {
      params: { path: { flight_id: id } },
      body: { version: flight!.version, ...what },
    });
    problem = bad;
    if (bad?.code === 'stale') notices.say('Somebody changed this flight meanwhile. Look again.', { bad: true });
    if (data) put(data);
    return !!data;
  }
  async function remove() {
    const { problem: bad } = await call('DELETE', '/api/logbook/files/{file_id}', {
      params: { path: { file_id: flight!.file.id } },
      parseAs: 'text',
    });
    if (bad && bad.status !== 204) return notices.say(bad.detail, { bad: true });
    notices.say(`${flight!.file.name} and all that it told is deleted.`);
    await goto('/logbook');
  }
  const title = $derived(
    flight
      ? [
          flight.sortie,
          flight.aircraft?.name ?? 'aircraft not known',
          flight.packs.length ? `on ${flight.packs.map((p) => p.name).join(' + ')}` : '',
        ]
          .filter(Boolean)
          .join(' ')
      : 'A flight',
  );
  const WIND_BY = { column: 'as logged', tilt: 'by its tilt', 'ground speed': 'by its ground speeds' };
  const figure = (key: string) => (f ? (f as unknown as Record<string, number | null | undefined>)[key] : null);
  const told = $derived(
    FIGURES.map((g) => ({ ...g, rows: g.rows.filter((r) => figure(r.key) !== null && figure(r.key) !== undefined) })).filter(
      (g) => g.rows.length,
    ),
  );
  const lacking = $derived(FIGURES.filter((g) => !told.some((t) => t.title === g.title)).map((g) => g.title.toLowerCase()));
</script>

<div class="px-6 py-5">
  <LogbookNav {title} />
  {#if failed}<p class="problem" role="alert">
      {failed} <button class="button" onclick={load}>Try again</button> <a href="/logbook">To the logbook</a>
    </p>{/if}
  {#if !flight && !failed}<p class="quiet" role="status">Opening the flight …</p>{/if}
  {#if flight && f}
    <div class="mb-3 flex flex-wrap items-baseline gap-x-6 gap-y-1">
      <span class="sharp text-head" data-testid="flown">{minutes(f.length_s)} min</span>
      {#if f.from_frac != null && f.to_frac != null}<span class="sharp text-head"
          >{digits(100 * f.from_frac)} → {percent(f.to_frac)}</span
        >{/if}
      <span>{dayAndClock(flight.began_at)}{flight.began_at && !flight.zoned ? ', by its own clock' : ''}</span>
      {#if flight.job}<a href="/jobs/{flight.job.id}">{flight.job.letter} {flight.job.name}</a>{/if}
      {#if flight.day}<a href="/days/{flight.day.id}">{flight.day.name}</a>{/if}
      {#if flight.firmware}<span class="quiet">firmware {flight.firmware}</span>{/if}
      {#if flight.wind}<span class="flex items-center gap-1.5"
          >wind met {show(flight.wind.wind_m_s, 'm_s', session.units)}
          <WindArrow from={flight.wind.from_deg} />{flight.wind.whole ? '' : ' along the lines only'}
          <span class="quiet">{WIND_BY[flight.wind.by]}</span></span
        >{:else}<span class="quiet">wind: not in this log</span>{/if}
    </div>
    {#if flight.ask || flight.match === 'asked'}
      <div class="mb-4 border-l-3 border-copper pl-3" data-testid="ask"><WhatItIs {flight} {change} {problem} /></div>
    {/if}
    {#each flight.file.doubts as d, nth (nth)}<p class="mb-1 text-small">About the log: {d}.</p>{/each}
    <div class="grid grid-cols-[minmax(0,1fr)_336px] gap-8 max-narrow:grid-cols-1">
      <section class="min-w-0" aria-label="Curves">
        <FlightCurves {flight} bind:at />
        {#if flight.by_phase.length}
          <h2 class="mb-1 mt-5">What it drew, by what it did</h2>
          <table class="sheet-table max-w-183 bg-sheet" data-testid="phases">
            <thead
              ><tr
                ><th>doing</th><th class="!text-right">time</th><th class="!text-right">share</th><th class="!text-right"
                  >current</th
                ><th class="!text-right">power</th><th class="!text-right">energy</th></tr
              ></thead>
            <tbody>
              {#each flight.by_phase as p (p.name)}
                <tr
                  ><td>{flight.phase_words[p.name] ?? p.name}</td><td class="text-right">{minutes(p.length_s)}</td><td
                    class="text-right">{percent(p.length_s / f.length_s)}</td
                  ><td class="text-right">{p.mean_a === null ? '—' : `${digits(p.mean_a, 1)} A`}</td><td class="text-right"
                    >{p.mean_w === null ? '—' : `${digits(p.mean_w)} W`}</td
                  ><td class="text-right">{p.wh === null ? '—' : `${digits(p.wh)} Wh`}</td></tr>
              {/each}
            </tbody>
          </table>
        {/if}
        {#if flight.marks.length}
          <details class="mt-4">
            <summary class="cursor-pointer font-semibold">Events of the log ({flight.marks.length})</summary>
            <ul class="m-0 list-none columns-2 p-0 text-small">
              {#each flight.marks as m, k (k)}<li class="py-0.5">
                  <b>{minutes(m.at_s)}</b> <span class={m.kind === 'warning' ? 'problem' : ''}>{m.words}</span>
                </li>{/each}
            </ul>
          </details>
        {/if}
      </section>
      <aside class="min-w-0" aria-label="Figures">
        <Track track={flight.track} route={flight.route} {at} />
        {#if flight.planned}
          <h2 class="mb-1 mt-5">Planned and real</h2>
          <table class="sheet-table text-small" data-testid="planned">
            <thead
              ><tr
                ><th></th><th class="!text-right">planned</th><th class="!text-right">recorded</th><th class="!text-right">log</th
                ></tr
              ></thead>
            <tbody>
              <tr
                ><td>in the air</td><td class="text-right"
                  >{flight.planned.planned_s === null ? '—' : minutes(flight.planned.planned_s)}</td
                ><td class="text-right">{minutes(flight.planned.recorded_s)}</td><td class="text-right font-semibold"
                  >{minutes(f.length_s)}</td
                ></tr>
              <tr
                ><td>charge used</td><td class="text-right"
                  >{flight.planned.planned_frac === null ? '—' : percent(flight.planned.planned_frac)}</td
                ><td class="text-right">{flight.planned.to_frac === null ? '—' : `to ${percent(flight.planned.to_frac)}`}</td><td
                  class="text-right font-semibold">{f.used_frac == null ? '—' : percent(f.used_frac)}</td
                ></tr>
            </tbody>
          </table>
          {#if flight.planned.planned_s !== null}<p class="quiet text-note">
              {againstPlan({ planned_s: flight.planned.planned_s, length_s: f.length_s })}{flight.planned.who
                ? `; recorded by ${flight.planned.who}`
                : ''}
            </p>{/if}
        {/if}
        {#if Object.keys(flight.claims).length}
          <h2 class="mb-1 mt-5">Rated and measured</h2>
          <table class="sheet-table text-small" data-testid="claims">
            <thead
              ><tr
                ><th></th><th class="!text-right">rated</th><th class="!text-right">measured</th><th class="!text-right">times</th
                ></tr
              ></thead>
            <tbody>
              {#each Object.entries(flight.claims) as [subject, c] (subject)}
                <tr
                  ><td>{SUBJECTS[subject as 'power']?.what ?? subject}</td><td class="text-right"
                    >{lessonFigure(c.claimed, c.unit)}</td
                  ><td class="text-right">{lessonFigure(c.measured, c.unit)}</td><td class="text-right"
                    ><Why
                      margin
                      text={digits(c.ratio, 2)}
                      name={SUBJECTS[subject as 'power']?.words ?? subject}
                      given={c.working} /></td
                  ></tr>
              {/each}
            </tbody>
          </table>
          <p class="text-note"><a href="/logbook/claims">What flights together teach</a></p>
        {/if}
        {#each told as g (g.title)}
          <h2 class="mb-1 mt-4">{g.title}</h2>
          <dl class="grid grid-cols-[1fr_auto] gap-x-3 text-small">
            {#each g.rows as r (r.key)}
              <dt class="border-b border-rule py-1">
                {r.label}{r.key === 'lowest_v' && f.lowest_cell ? `, cell ${f.lowest_cell}` : ''}{r.key === 'resistance_ohm' &&
                f.resistance_c != null
                  ? ` at ${show(f.resistance_c, 'c', session.units, 0)}`
                  : ''}
              </dt>
              <dd class="m-0 border-b border-rule py-1 text-right font-semibold">
                {#if r.key === 'min_per_percent' || r.key === 'used_ah'}
                  <Why margin text={r.text(figure(r.key)!, session.units)} name={r.label} given={f.working ?? null} />
                {:else}{r.text(figure(r.key)!, session.units)}{/if}
              </dd>
            {/each}
            {#if g.title === 'Warnings' && f.warned_by === 'percent'}<dt class="quiet col-span-2 py-1 text-note">
                Not in the log: by the percents at which this model of aircraft warns.
              </dt>{/if}
            {#if g.title === 'Charge'}
              {#each f.drops ?? [] as d (d[0])}<dt class="border-b border-rule py-1">sudden drop after {minutes(d[0]!)}</dt>
                <dd class="m-0 border-b border-rule py-1 text-right font-semibold">{percent(d[1]!)}</dd>{/each}
            {/if}
          </dl>
        {/each}
        {#if lacking.length}<p class="quiet mt-3 text-note">The log tells nothing of {lacking.join(', ')}.</p>{/if}
        <h2 class="mb-1 mt-5">Note</h2>
        <textarea
          class="input min-h-tap-call py-2"
          aria-label="Note"
          maxlength="1000"
          disabled={!may}
          bind:value={note}
          onblur={() => note !== flight!.note && change({ note })}></textarea>
        {#if !flight.ask && flight.match !== 'asked'}
          <details class="mt-4">
            <summary class="cursor-pointer font-semibold">What it is a flight of</summary>
            <div class="mt-2"><WhatItIs {flight} {change} {problem} /></div>
          </details>
        {/if}
        <h2 class="mb-1 mt-5">The log</h2>
        <p class="text-small [overflow-wrap:anywhere]">
          {flight.file.name}{flight.file.flights > 1 ? `, flight ${flight.number} of ${flight.file.flights}` : ''};
          {digits(flight.file.rows)} rows{flight.file.bad_rows
            ? `, ${digits(flight.file.bad_rows)} of them could not be read`
            : ''}.
        </p>
        <ColumnsUsed columns={flight.file.columns} />
        <div class="mt-2 flex flex-wrap gap-2">
          <a class="button small" href="/logbook/files/{flight.file.id}">Its columns</a>
          <a class="button small" href="/api/logbook/flights/{flight.id}/samples.csv" download>Samples, CSV</a>
          <a class="button small" href="/api/logbook/flights/{flight.id}/samples.parquet" download>Parquet</a>
          <button class="button small" disabled={!session.may('logs:delete')} onclick={() => (deleting = true)}>Delete …</button>
        </div>
      </aside>
    </div>
  {/if}
</div>

<AlertDialog.Root bind:open={deleting}>
  <AlertDialog.Portal>
    <AlertDialog.Overlay class="veil" />
    <AlertDialog.Content class="dialog">
      <AlertDialog.Title class="sharp mb-2 text-head">Delete this log?</AlertDialog.Title>
      <AlertDialog.Description class="mb-4">
        {flight?.file.name}
        {flight && flight.file.flights > 1 ? `with its ${flight.file.flights} flights` : 'with its flight'}, all samples, and what
        it wrote into the records of packs. It can come back only by reading the file in again.
      </AlertDialog.Description>
      <div class="flex justify-end gap-3">
        <AlertDialog.Cancel class="button">Cancel</AlertDialog.Cancel>
        <AlertDialog.Action class="button dark" onclick={remove}>Delete log</AlertDialog.Action>
      </div>
    </AlertDialog.Content>
  </AlertDialog.Portal>
</AlertDialog.Root>
