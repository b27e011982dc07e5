<!-- Limits: the gate of a date for a job, which rule decides in an hour, what was measured, and the sheets side by side. -->
<script lang="ts">
  import Later from '$shared/ui/Later.svelte';
  import { page as route } from '$app/state';
  import { call } from '$shared/api/call';
  import { type Schemas } from '$shared/api/client';
  import { clockOf, dayName } from '$shared/format/units';
  import { allJobs } from '$shared/lists';
  import { resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import Gate from '$shared/ui/Gate.svelte';
  import { help } from '$shared/ui/help.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import WindArrow from '$shared/ui/WindArrow.svelte';
  import AirForm from './components/AirForm.svelte';
  import { ageWords, hourAfter, hourOf, said, type GateDay, type GateHour } from './words/gate';
  import GateChart from './components/GateChart.svelte';
  import HourRows from './components/HourRows.svelte';
  import Sheets from './components/Sheets.svelte';

  const limits = resource(() => call('GET', '/api/limits'));
  const theFleet = resource(() => call('GET', '/api/fleet'));
  const policy = resource(() => call('GET', '/api/policy'));
  const theJobs = resource(allJobs, (found) => (jobId ||= found[0]?.id ?? ''));
  const page = $derived(limits.value);
  const fleet = $derived(theFleet.value);
  const settings = $derived(policy.value);
  const jobs = $derived(theJobs.value);
  let job = $state.raw<Schemas['JobOut'] | null>(null);
  let jobId = $state(route.url.searchParams.get('job') ?? '');
  let on = $state(route.url.searchParams.get('on') ?? new Date().toISOString().slice(0, 10));
  let gate = $state.raw<GateDay | null>(null);
  let failed = $state('');
  let asking = $state(false);
  let chosen = $state('');
  let modelId = $state('');
  let tried = $state.raw<GateHour | null>(null);
  const zone = session.me?.time_zone || Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC';

  let turn = 0;
  async function look(again = false) {
    if (!jobId || !on) return;
    const mine = ++turn;
    asking = true;
    const { data, problem } = await call('GET', '/api/limits/gate/{job_id}', {
      params: { path: { job_id: jobId }, query: { on, zone, again } },
    });
    if (mine !== turn) return;
    asking = false;
    gate = data;
    failed = problem?.detail ?? '';
    if (data && !data.hours.some((h) => h.at === chosen)) chosen = data.hours[usual(data)]!.at;
  }
  const usual = (d: GateDay) => {
    const now = Math.floor((Date.now() - Date.parse(d.begins)) / 3.6e6);
    return now >= 0 && now < d.hours.length ? now : 10;
  };
  $effect(() => {
    void [jobId, on];
    void look();
  });
  $effect(() => {
    if (!jobId) return;
    void call('GET', '/api/jobs/{job_id}', { params: { path: { job_id: jobId } } }).then(({ data }) => {
      job = data?.job ?? null;
      modelId = job?.aircraft_model_id ?? '';
    });
  });
  const hour = $derived(gate?.hours.find((h) => h.at === chosen) ?? null);
  const other = $derived(!!job && modelId !== (job.aircraft_model_id ?? ''));
  $effect(() => {
    tried = null;
    if (!other || !chosen || !modelId) return;
    void call('GET', '/api/limits/moment/{job_id}', {
      params: { path: { job_id: jobId }, query: { at: chosen, aircraft_model_id: modelId } },
    }).then(({ data }) => (tried = data));
  });
  const shown = $derived(other ? tried : hour);
  const value = (key: string, usualValue: number) => Number(settings?.settings.find((s) => s.key === key)?.value ?? usualValue);
  const bands = $derived({ care: value('limits.gust_care_frac', 0.75), no: value('limits.gust_no_frac', 0.9) });
  const line = $derived(jobs?.find((j) => j.id === jobId) ?? null);
  const place = $derived((job?.home ?? job?.areas[0]?.ring[0] ?? null) as [number, number] | null);
  const wind = $derived(shown?.measured[0] ?? shown?.forecast ?? null);
  const time = (iso: string) => clockOf(iso);
  $effect(() =>
    help.offer('limits', [
      { id: 'weather-service', label: 'Ask the weather service now', keys: 'A', run: () => look(true) },
      { id: 'print-limits', label: 'Print the weather window', keys: 'P', run: () => window.print() },
    ]),
  );
</script>

<div class="px-6 py-5">
  <div class="mb-4 flex flex-wrap items-end gap-x-6 gap-y-2">
    <h1 class="mr-auto">Limits</h1>
    <div class="w-71">
      <Choice
        label="for"
        stacked
        value={jobId}
        options={(jobs ?? []).map((j) => ({ value: j.id, label: `${j.letter} ${j.name}` }))}
        onchange={(v) => (jobId = v)} />
    </div>
    <div class="w-49"><TextField label="on" type="date" live value={on} onchange={(v) => (on = v)} /></div>
    <a class="button" href="/preflight">Preflight lists</a>
  </div>
  <Failed of={[limits, theJobs, theFleet, policy]} />
  {#if failed}<p class="problem mb-3" role="alert">
      {failed} <button class="button" onclick={() => look(true)}>Try again</button>
    </p>{/if}
  {#if jobs && !jobs.length}
    <p>There is no job yet: limits hold for a piece of ground and an aircraft. <a href="/jobs">Make a job</a>.</p>
  {:else if gate && page}
    <div class="mb-2 flex flex-wrap items-baseline gap-x-6 gap-y-1">
      <h2>Weather window, {dayName(gate.date)}</h2>
      <span class="text-small">
        {#if gate.service.issued_at}Forecast of {time(gate.service.issued_at)}, {ageWords(gate.service.age_s)}{gate.service.source
            ? `, ${gate.service.source}`
            : ''}{:else}No forecast{/if}
        <button class="button plain" disabled={asking} onclick={() => look(true)}>{asking ? 'asking …' : 'ask now'}</button>
      </span>
      <span class="text-small" data-testid="next-window"
        >{#if gate.next}Next window <b>{time(gate.next.from_at)} to {time(gate.next.to_at)}</b>{:else}No window comes that is
          known{/if}</span>
    </div>
    {#if gate.service.problem}<p class="problem mb-2" role="alert" data-testid="service-problem">
        {gate.service.problem}
        {gate.service.issued_at ? 'What was known before still stands, and ages.' : ''} Enter what you measure, or paste a report.
      </p>{/if}
    {#each gate.service.notes.slice(0, 3) as n, nth (nth)}<p class="quiet text-small">{n}</p>{/each}
    <div class="overflow-x-auto rounded bg-sheet p-3"><GateChart day={gate} bind:chosen {bands} /></div>
    <div class="mt-1 flex flex-wrap gap-x-5 text-note" aria-label="How to read">
      <span><b>✓</b> go</span><span><b>!</b> with care</span><span><b>✕</b> closed, hatched</span><span
        ><b>?</b> not known: never a go</span
      ><span>dashed: forecast, solid: measured</span><span>arrow: where the wind blows to</span>
    </div>
    {#if shown && hour}
      <section class="mt-5" aria-label="The hour chosen">
        <div class="mb-2 flex flex-wrap items-center gap-x-5 gap-y-2">
          <h2>{hourOf(hour.at)} to {hourAfter(hour.at)}</h2>
          <span data-testid="hour-word"
            ><Gate
              word={shown.verdict.word}
              size={26}
              class="text-head"
              text={shown.verdict.unknown ? 'No go: not known' : undefined} /></span>
          {#if wind?.from_deg != null}<WindArrow from={wind.from_deg} /><span
              >{said('gust_m_s', wind.wind_m_s, session.units)}, gusts {said(
                'gust_m_s',
                wind.gust_m_s,
                session.units,
              )}{wind.gust_assumed ? ' (assumed)' : ''}</span
            >{/if}
          <div class="ml-auto w-80">
            <Choice
              label="try it with"
              value={modelId}
              options={(fleet?.aircraft_models ?? []).filter((m) => !m.archived).map((m) => ({ value: m.id, label: m.name }))}
              onchange={(v) => (modelId = v)} />
          </div>
        </div>
        {#if shown.verdict.reasons.length}<ul class="mb-2 mt-0 pl-5">
            {#each shown.verdict.reasons as r, nth (nth)}<li>{r}</li>{/each}
          </ul>{/if}
        <HourRows day={gate} hour={shown} {jobId} quantities={page.quantities} />
      </section>
    {/if}
    <Later>
      <section class="no-print mt-6 border-t-line border-ink pt-4" aria-label="What is measured">
        <AirForm {place} readings={gate.readings} onchange={() => look()} />
      </section>
      <section class="mt-6 border-t-line border-ink pt-4" aria-label="Sheets">
        <h2 class="mb-2">Whose limit holds</h2>
        <Sheets
          {page}
          {gate}
          job={line}
          modelId={modelId || null}
          onchange={(p) => {
            limits.value = p;
            void look();
          }} />
      </section>
    </Later>
    <p class="quiet mt-4 text-note">
      An aid to judgement. The pilot in command, the maker's manual and local aviation law take precedence; check the sky with
      your own eyes.
    </p>
  {:else if !failed}<p class="quiet" role="status">Asking for the weather …</p>{/if}
</div>
