<!-- A search as it stands: the map with shares, which ground next, first patterns, segments, what was reported. -->
<script lang="ts">
  import { onMount } from 'svelte';
  import { goto } from '$app/navigation';
  import { call } from '$shared/api/call';
  import type { Problem, Schemas } from '$shared/api/client';
  import { hours, minutes, percent, show } from '$shared/format/units';
  import { clockOf } from '$shared/format/units';
  import { resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import NextCurve from './NextCurve.svelte';
  import Report from './Report.svelte';
  import SegmentPanel from './SegmentPanel.svelte';
  import { SearchMap, type Tool } from './map/search-map';
  import { saved, whatOf } from './what';

  let { id }: { id: string } = $props();
  const params = $derived({ params: { path: { search_id: id } } });
  let search = $state.raw<Schemas['SearchOut'] | null>(null);
  let failed = $state.raw<Problem | null>(null);
  const next = resource(() => call('GET', '/api/searches/{search_id}/next', params));
  const first = resource(() => call('GET', '/api/searches/{search_id}/first', params));
  let picked = $state('');
  let tool = $state<Tool>('look');
  let side = $state(300);
  let map: SearchMap | null = null;
  let target: HTMLElement | undefined = $state();
  let reporting = $state<'' | 'searched' | 'clue' | 'find'>('');
  let place = $state.raw<[number, number] | null>(null);
  let shown = $state('');
  let begun = $state('');
  const writable = $derived(session.may('jobs:write') && !search?.ended_at);
  const reports = $derived(session.may('day:run') && !search?.ended_at);
  const segment = $derived(search?.segments.find((s) => s.id === picked) ?? null);
  const proposed = $derived(next.value?.sorties?.[0] ?? null);
  const pattern = $derived(first.value?.find((p) => p.pattern === shown) ?? null);
  const unit = $derived(session.units);

  async function load() {
    const { data, problem } = await call('GET', '/api/searches/{search_id}', params);
    failed = problem;
    if (data) take(data);
  }
  function take(data: Schemas['SearchOut']) {
    const fresh = search === null;
    search = data;
    void next.load();
    if (fresh) setTimeout(() => map?.fit(), 50);
  }
  async function save(over: Partial<Schemas['SearchFields']>) {
    if (!search) return;
    const { data, problem } = await saved(search, over);
    if (problem) notices.say(problem.detail, { bad: true });
    if (data) take(data);
  }
  async function lay(how: 'net' | 'paths') {
    const { data, problem } = await call('POST', '/api/searches/{search_id}/segments', {
      ...params,
      body: { how, side_m: side, bearing_deg: 0 },
    });
    if (problem) notices.say(problem.detail, { bad: true });
    if (data) {
      take(data);
      notices.say(`${data.segments.length} segments`);
      map?.fit();
    }
  }
  async function give(one: Schemas['NextSortie']) {
    const { data, problem } = await call('POST', '/api/searches/{search_id}/give', {
      ...params,
      body: { segment: one.segment, coverage: one.coverage, aircraft_id: one.aircraft_id || null },
    });
    if (problem) notices.say(problem.detail, { bad: true });
    else if (data.sorties.length) notices.say(`${data.sorties.join(', ')} joined the day`);
    else await goto(`/jobs/${data.job_id}`);
    await load();
  }
  async function launch(name: string) {
    begun = name;
    const { data, problem } = await call('POST', '/api/searches/{search_id}/first', {
      ...params,
      body: { pattern: name as 'square' },
    });
    begun = '';
    if (problem) notices.say(problem.detail, { bad: true });
    if (data?.day_id) await goto(`/live/${data.day_id}`);
  }
  async function flown(job: string) {
    const { data, problem } = await call('POST', '/api/searches/{search_id}/flown/{job_id}', {
      params: { path: { search_id: id, job_id: job } },
    });
    if (problem) notices.say(problem.detail, { bad: true });
    if (data) take(data);
  }
  async function takeBack(key: string) {
    const { data, problem } = await call('DELETE', '/api/searches/{search_id}/reports/{report_key}', {
      params: { path: { search_id: id, report_key: key } },
    });
    if (problem) notices.say(problem.detail, { bad: true });
    if (data) take(data);
  }
  async function end(forget: boolean) {
    const { data, problem } = await call('POST', '/api/searches/{search_id}/end', {
      ...params,
      body: { ended: !search?.ended_at, forget },
    });
    if (problem) notices.say(problem.detail, { bad: true });
    if (data) take(data);
  }
  onMount(() => {
    map = new SearchMap(target!, {
      pick: (s) => (picked = picked === s ? '' : s),
      segment: (ring) => {
        const used = new Set(search!.segments.map((s) => s.name));
        let n = search!.segments.length + 1;
        while (used.has(String(n))) n += 1;
        tool = 'look';
        void save({
          segments: [...whatOf(search!).segments, { id: `s${crypto.randomUUID().slice(0, 8)}`, name: String(n), ring }] as never,
        });
      },
      path: (line) => {
        tool = 'look';
        void save({ paths: [...search!.paths, line] as never });
      },
      place: (at) => {
        place = at;
        tool = 'look';
      },
    });
    void load();
    return () => map?.end();
  });
  $effect(() => {
    if (search) map?.show(search, picked, proposed?.segment ?? '', (pattern?.path ?? []) as [number, number][]);
  });
  $effect(() => map?.use(tool));
</script>

<div class="grid h-[calc(100dvh-70px)] grid-cols-[minmax(0,1fr)_430px] max-tablet:h-auto max-tablet:grid-cols-1">
  <div class="relative min-h-0 max-tablet:h-[60dvh]">
    <div bind:this={target} class="absolute inset-0 bg-paper" role="application" aria-label="Map of the search"></div>
    {#if writable && search}
      <div class="absolute top-3 left-3 flex flex-wrap gap-2">
        <button class="button" aria-pressed={tool === 'segment'} onclick={() => (tool = tool === 'segment' ? 'look' : 'segment')}
          >Draw segment</button>
        <button class="button" aria-pressed={tool === 'path'} onclick={() => (tool = tool === 'path' ? 'look' : 'path')}
          >Draw path</button>
        <button class="button" onclick={() => map?.fit()}>Whole search</button>
      </div>
    {/if}
    {#if tool !== 'look'}<p class="absolute bottom-3 left-3 m-0 bg-sheet px-3 py-2 text-small" role="status">
        {tool === 'place' ? 'Tap where it was.' : 'Tap the corners; a double tap ends it.'}
      </p>{/if}
  </div>
  <aside
    class="panel min-h-0 overflow-y-auto border-l-line border-rule bg-sheet px-5 py-4 max-tablet:border-l-0"
    aria-label="Search">
    {#if failed}<p class="problem" role="alert">{failed.detail}</p>
    {:else if !search}<p class="quiet" role="status">Reading the search …</p>
    {:else}
      <h1 class="mb-1">{search.name}</h1>
      <p class="m-0 text-lead">
        POS so far <b>{percent(search.success_frac, 1)}</b><span class="quiet">
          · rest of the world {percent(search.rest_frac)}</span>
      </p>
      {#if search.ended_at}<p class="m-0"><b>Ended {clockOf(search.ended_at)}</b></p>{/if}
      {#if search.found}<p class="m-0 text-lichen"><b>Found: call all home.</b></p>{/if}
      {#each search.notes as note (note)}<p class="m-0 mt-1 border-l-3 border-copper pl-2 text-small">{note}</p>{/each}

      {#if !search.day_id && writable}
        <h2 class="mt-4">First in the air</h2>
        <Failed of={first} />
        {#if first.value === null && !first.problem}<p class="quiet" role="status">Laying patterns …</p>{/if}
        <ul class="m-0 flex list-none flex-col gap-2 p-0">
          {#each first.value ?? [] as p (p.pattern)}
            <li class="border-t border-rule pt-2">
              <div class="flex items-baseline gap-2">
                <button
                  class="mr-auto text-left font-semibold underline decoration-dotted"
                  onclick={() => (shown = shown === p.pattern ? '' : p.pattern)}>{p.words}</button>
                {#if !p.problem}<button class="button" disabled={begun !== ''} onclick={() => void launch(p.pattern)}
                    >Begin with it</button
                  >{/if}
              </div>
              {#if p.problem}<span class="quiet text-small">{p.problem}</span>
              {:else}<span class="text-small"
                  >{show(p.spacing_m, 'm', unit, 0)} apart, {hours(p.time_s)}, {p.sorties} sortie{p.sorties > 1 ? 's' : ''}, POD {percent(
                    p.detection_frac,
                  )}, POS {percent(p.success_frac)}; first one {minutes(p.first_s)} min</span
                >{/if}
            </li>
          {/each}
        </ul>
      {:else if search.day_id}<p class="mt-3"><a class="button dark" href="/live/{search.day_id}">Live</a></p>{/if}

      <h2 class="mt-4">Which ground next</h2>
      {#if next.value?.problem}<p class="quiet">{next.value.problem}</p>
      {:else if next.value}
        <p class="m-0 text-lead font-semibold" data-testid="next">{next.value.words}</p>
        <p class="quiet m-0 text-small">
          {next.value.proven
            ? 'Proven the best of whole sorties.'
            : `No plan gives more than ${percent(next.value.at_most_frac)}.`}
        </p>
        {#if next.value.instead}<p class="m-0 mt-1 text-small">{next.value.instead}</p>{/if}
        {#each next.value.more as m (m)}<p class="m-0 text-small">{m}</p>{/each}
        {#each next.value.notes as n (n)}<p class="m-0 border-l-3 border-copper pl-2 text-small">{n}</p>{/each}
        <NextCurve points={next.value.curve ?? []} />
        <table class="sheet-table mt-2 w-full text-small" aria-label="Sorties to come">
          <thead
            ><tr
              ><th>from</th><th>segment</th><th>with</th><th class="!text-right">apart</th><th class="!text-right">POS</th><th
              ></th
              ></tr
            ></thead>
          <tbody>
            {#each (next.value.sorties ?? []).slice(0, 8) as s, nth (nth)}
              <tr>
                <td>{clockOf(s.starts_at)}</td><td>{s.name}</td><td>{s.who}</td>
                <td class="text-right">{show(s.spacing_m, 'm', unit, 0)}</td>
                <td class="text-right">{percent(s.after_frac)}</td>
                <td class="text-right">
                  {#if writable && s.searcher === 'aircraft'}<button class="button small" onclick={() => void give(s)}
                      >Give out</button
                    >{/if}
                </td>
              </tr>
            {/each}
          </tbody>
        </table>
      {:else if !next.problem}<p class="quiet" role="status">Working it out …</p>{:else}<Failed of={next} />{/if}

      {#if writable}
        <h2 class="mt-4">Segments</h2>
        <div class="flex flex-wrap items-end gap-2">
          <label class="flex flex-col gap-1 text-small"
            >Net, m<input class="input w-24" type="number" min="20" max="5000" bind:value={side} /></label>
          <button class="button" disabled={!search.point} onclick={() => void lay('net')}>Lay net</button>
          <button class="button" disabled={!search.point || !search.paths.length} onclick={() => void lay('paths')}
            >Part along paths</button>
        </div>
      {/if}
      {#if segment}
        <SegmentPanel
          {segment}
          {writable}
          {unit}
          onsave={(s) =>
            void save({ segments: whatOf(search!).segments.map((x) => (x.id === s.id ? { ...x, ...s } : x)) as never })}
          ondelete={(gone) => {
            picked = '';
            void save({ segments: whatOf(search!).segments.filter((x) => x.id !== gone) as never });
          }} />
      {/if}

      {#if reports}
        <h2 class="mt-4">Report</h2>
        <div class="flex flex-wrap gap-2">
          <button class="button" disabled={!search.segments.length} onclick={() => (reporting = 'searched')}
            >Segment searched</button>
          <button class="button" onclick={() => (reporting = 'clue')}>Clue</button>
          <button class="button" onclick={() => (reporting = 'find')}>Found</button>
        </div>
        {#if reporting}
          <Report
            {search}
            kind={reporting}
            {picked}
            {place}
            ontap={() => (tool = 'place')}
            ondone={(data) => {
              if (data) take(data);
              reporting = '';
              place = null;
            }} />
        {/if}
      {/if}
      {#each search.jobs.filter((j) => !j.reported) as j (j.job_id)}
        <p class="m-0 mt-2 flex items-center gap-2 text-small">
          <a class="mr-auto" href="/jobs/{j.job_id}">{j.letter} {j.name}</a>
          {#if reports}<button class="button small" onclick={() => void flown(j.job_id)}>Report as flown</button>{/if}
        </p>
      {/each}
      {#if search.reports.length}
        <ul class="m-0 mt-3 flex list-none flex-col gap-1.5 p-0 text-small" aria-label="Reports">
          {#each [...search.reports].reverse() as r (r.key)}
            <li class="border-t border-rule pt-1" class:line-through={!!r.taken_back}>
              {clockOf(r.at)}
              {r.kind === 'find' ? 'Found.' : r.kind === 'clue' ? 'Clue.' : ''}
              {r.words}
              {#if r.notations.length}<span class="block font-mono">{r.notations.join(' · ')}</span>{/if}
              <span class="quiet">{r.by}{r.taken_back ? `, taken back by ${r.taken_back}` : ''}</span>
              {#if reports && !r.taken_back}<button class="underline" onclick={() => void takeBack(r.key)}>Take back</button>{/if}
            </li>
          {/each}
        </ul>
      {/if}
      {#if session.may('jobs:write')}
        <div class="mt-5 flex flex-wrap gap-2 border-t border-rule pt-3">
          <button class="button" onclick={() => void end(false)}>{search.ended_at ? 'Resume search' : 'End search'}</button>
          {#if search.ended_at && (search.person || search.kind_id)}<button
              class="button"
              onclick={() =>
                void call('POST', '/api/searches/{search_id}/end', { ...params, body: { ended: true, forget: true } }).then(load)}
              >Delete what is known of the person</button
            >{/if}
        </div>
      {/if}
    {/if}
  </aside>
</div>
