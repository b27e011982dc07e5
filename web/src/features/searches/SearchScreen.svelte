<!-- A search as it stands: the map with shares; which ground next, where to look, who searches, what was reported. -->
<script lang="ts">
  import { onMount, tick } from 'svelte';
  import { goto } from '$app/navigation';
  import { call } from '$shared/api/call';
  import type { Problem, Schemas } from '$shared/api/client';
  import { clockOf, percent, show } from '$shared/format/units';
  import { resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Why from '$shared/working/Why.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import ForgetPerson from './ForgetPerson.svelte';
  import FirstPatterns from './FirstPatterns.svelte';
  import LaySegments from './LaySegments.svelte';
  import NextCurve from './NextCurve.svelte';
  import Report from './Report.svelte';
  import ReportList from './ReportList.svelte';
  import SegmentPanel from './SegmentPanel.svelte';
  import WhereToLook from './WhereToLook.svelte';
  import WhoSearches from './WhoSearches.svelte';
  import { SearchMap, type Tool } from './map/search-map';
  import { saved, whatOf, type Asked } from './what';

  type Tab = 'next' | 'ground' | 'who' | 'reports';
  const TABS: [Tab, string][] = [
    ['next', 'Next'],
    ['ground', 'Where'],
    ['who', 'Who'],
    ['reports', 'Reports'],
  ];
  let { id }: { id: string } = $props();
  const params = $derived({ params: { path: { search_id: id } } });
  let search = $state.raw<Schemas['SearchOut'] | null>(null);
  let failed = $state.raw<Problem | null>(null);
  let refused = $state.raw<Problem | null>(null);
  const next = resource(() => call('GET', '/api/searches/{search_id}/next', params));
  let tab = $state<Tab>('next');
  let picked = $state('');
  let tool = $state<Tool>('look');
  let map: SearchMap | null = null;
  let target: HTMLElement | undefined = $state();
  let reporting = $state<'' | 'searched' | 'clue' | 'find'>('');
  let place = $state.raw<[number, number] | null>(null);
  let path = $state.raw<[number, number][]>([]);
  const writable = $derived(session.may('jobs:write') && !search?.ended_at);
  const reports = $derived(session.may('day:run') && !search?.ended_at);
  const segment = $derived(search?.segments.find((s) => s.id === picked) ?? null);
  const proposed = $derived(next.value?.sorties?.[0] ?? null);
  const unit = $derived(session.units);
  const at = (field: string) => (refused?.field === `what.${field}` ? refused.detail : '');

  async function load() {
    const { data, problem } = await call('GET', '/api/searches/{search_id}', params);
    failed = problem;
    if (data) take(data);
  }
  function take(data: Schemas['SearchOut']) {
    const fitted = search !== null && search.segments.length === data.segments.length;
    search = data;
    refused = null;
    void next.load();
    if (!fitted) fitSoon();
  }
  /** Fit the map once what is to be seen is drawn. */
  function fitSoon() {
    void tick().then(() => setTimeout(() => map?.fit(), 0));
  }
  async function save(over: Partial<Asked>) {
    if (!search) return;
    const { data, problem } = await saved(search, over);
    await answered(data, problem);
  }
  async function saveHead(head: { name?: string; person?: string; kind_id?: string | null }) {
    if (!search) return;
    const { data, problem } = await saved({ ...search, ...head }, {});
    await answered(data, problem);
  }
  async function answered(data: Schemas['SearchOut'] | null, problem: Problem | null) {
    if (data) take(data);
    if (!problem) return;
    if (problem.status === 409) await load();
    refused = problem;
    notices.say(problem.detail, { bad: true });
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
  async function end(forget: boolean, ended = true) {
    const { data, problem } = await call('POST', '/api/searches/{search_id}/end', { ...params, body: { ended, forget } });
    await answered(data, problem);
  }
  function drawn(ring: [number, number][]) {
    const used = new Set(search!.segments.map((s) => s.name));
    let n = search!.segments.length + 1;
    while (used.has(String(n))) n += 1;
    tool = 'look';
    const one = { id: `s${crypto.randomUUID().slice(0, 8)}`, name: String(n), ring };
    void save({ segments: [...whatOf(search!).segments, one] as never });
  }
  onMount(() => {
    map = new SearchMap(target!, {
      pick: (s) => {
        picked = picked === s ? '' : s;
        if (picked) tab = 'ground';
      },
      segment: drawn,
      path: (line) => {
        tool = 'look';
        void save({ paths: [...search!.paths, line] as never });
      },
      water: (ring) => {
        tool = 'look';
        void save({ waters: [...search!.waters, ring] as never });
      },
      place: (p) => {
        place = p;
        tool = 'look';
      },
    });
    void load();
    return () => map?.end();
  });
  $effect(() => {
    void session.me?.light;
    const drawn = [search, picked, proposed?.segment ?? '', search?.day_id || tab !== 'next' ? [] : path] as const;
    // Once the page has the colours of its light.
    const soon = setTimeout(() => drawn[0] && map?.show(drawn[0], drawn[1], drawn[2], [...drawn[3]]), 0);
    return () => clearTimeout(soon);
  });
  $effect(() => map?.use(tool));
</script>

<div class="screen grid grid-cols-[minmax(0,1fr)_430px] max-tablet:grid-cols-1">
  <div class="ground relative min-h-0">
    <div bind:this={target} class="absolute inset-0 bg-paper" role="application" aria-label="Map of the search"></div>
    <div class="absolute top-3 left-3 flex flex-wrap gap-2">
      {#if writable && search}
        {#each [['segment', 'Draw segment'], ['path', 'Draw path'], ['water', 'Draw water']] as const as [name, words] (name)}<button
            class="button"
            aria-pressed={tool === name}
            onclick={() => (tool = tool === name ? 'look' : name)}>{words}</button
          >{/each}
      {/if}
      <button class="button" onclick={() => map?.fit()}>Whole search</button>
    </div>
    {#if tool !== 'look'}<p class="absolute bottom-3 left-3 m-0 bg-sheet px-3 py-2 text-small" role="status">
        {tool === 'place' ? 'Tap where it was.' : 'Tap the corners; a double tap ends it.'}
      </p>{/if}
  </div>
  <aside class="panel flex min-h-0 flex-col border-l-line border-rule bg-sheet max-tablet:border-l-0" aria-label="Search">
    {#if failed}<p class="problem m-5" role="alert">{failed.detail}</p>
    {:else if !search}<p class="quiet m-5" role="status">Reading the search …</p>
    {:else}
      <div class="px-5 pt-4">
        <h1 class="mb-1 break-words">{search.name}</h1>
        <p class="m-0 text-lead">
          POS so far <b>{percent(search.success_frac, 1)}</b>
          <span class="quiet">rest of the world {percent(search.rest_frac)}</span>
        </p>
        {#if search.found}<p class="m-0 mt-1 border-2 border-lichen px-3 py-2 text-lead" role="status" data-testid="found">
            <b>{search.found}</b>
            {search.day_id ? 'All aircraft are called home in Live.' : 'Call all home.'}
          </p>{/if}
        {#if search.ended_at}<p class="m-0"><b>Ended {clockOf(search.ended_at)}</b></p>{/if}
        {#if search.day_id}<p class="m-0 mt-1"><a class="button dark" href="/days/{search.day_id}/live">Open Live</a></p>{/if}
      </div>
      <div class="mt-3 flex gap-2 border-b border-rule px-5" role="tablist" aria-label="Search">
        {#each TABS as [name, words] (name)}<button
            class="tab"
            role="tab"
            aria-selected={tab === name}
            onclick={() => (tab = name)}>{words}</button
          >{/each}
      </div>
      <div class="min-h-0 flex-1 overflow-y-auto px-5 pb-4">
        {#if tab === 'next'}
          {#if !search.day_id && !search.found && !search.ended_at}
            <FirstPatterns
              searchId={id}
              version={search.version}
              {writable}
              onlook={(p) => {
                path = p;
                if (p.length && !search!.segments.length) fitSoon();
              }}
              onlaunched={(day) => void goto(`/days/${day}/live`)} />
          {/if}
          <h2 class="mt-4">Which ground next</h2>
          {#if next.value?.problem}<p class="quiet">{next.value.problem}</p>
          {:else if next.value}
            <p class="m-0 text-lead font-semibold" data-testid="next">{next.value.words}</p>
            {#if next.value.working}<p class="m-0 text-small">
                The first of it alone: POS <Why
                  text={percent(Number(next.value.working.value), 1)}
                  name="chance of success of the next sortie"
                  given={next.value.working} />
              </p>{/if}
            <p class="quiet m-0 text-small">
              {next.value.proven
                ? 'Proven optimal: no other plan of whole sorties gives more.'
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
                    <td>{clockOf(s.starts_at)}</td><td>{s.name}</td><td class="break-words">{s.who}</td>
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
            {#if (next.value.sorties ?? []).length > 8}<p class="quiet m-0 text-small">
                {(next.value.sorties ?? []).length - 8} more follow.
              </p>{/if}
          {:else if !next.problem}<p class="quiet" role="status">Working it out …</p>{:else}<Failed of={next} />{/if}
          {#each search.notes as note (note)}<p class="m-0 mt-1 border-l-3 border-copper pl-2 text-small">{note}</p>{/each}
        {:else if tab === 'ground'}
          {#if writable}<LaySegments
              {search}
              onlaid={(data) => take(data)}
              onimported={(more) => void save({ segments: [...whatOf(search!).segments, ...more] as never })} />{/if}
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
          {:else if search.segments.length}<p class="quiet mt-2">Tap a segment on the map to see and change it.</p>{/if}
          {#each search.notes as note (note)}<p class="m-0 mt-1 border-l-3 border-copper pl-2 text-small">{note}</p>{/each}
          <WhereToLook {search} {writable} {at} onsave={(over) => void save(over)} onhead={(head) => void saveHead(head)} />
        {:else if tab === 'who'}
          <WhoSearches {search} {writable} {at} onsave={(over) => void save(over)} />
        {:else}
          {#if reports}
            <div class="mt-3 flex flex-wrap gap-2">
              <button class="button" disabled={!search.segments.length} onclick={() => (reporting = 'searched')}
                >Segment searched</button>
              <button class="button" onclick={() => (reporting = 'clue')}>Clue</button>
              <button class="button dark" onclick={() => (reporting = 'find')}>Found</button>
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
          <ReportList {search} writable={reports} onchanged={take} />
          <h2 class="mt-4">Hand over</h2>
          <p class="quiet m-0 text-small">Another crew imports the GeoJSON: Searches, Import handover.</p>
          <div class="mt-1 flex flex-wrap gap-2">
            {#each [['pdf', 'Sheet as PDF'], ['geojson', 'GeoJSON'], ['csv', 'Table as CSV']] as const as [form, words] (form)}<a
                class="button"
                href="/api/searches/{id}/handover.{form}"
                download>{words}</a
              >{/each}
          </div>
          {#if session.may('jobs:write')}
            <div class="mt-5 flex flex-wrap gap-2 border-t border-rule pt-3">
              {#if search.ended_at}<button class="button" onclick={() => void end(false, false)}>Resume search</button>
                {#if search.person || search.kind_id || search.reports.some((r) => r.photos.length)}<ForgetPerson
                    name={search.name}
                    onforget={() => end(true)} />{/if}
              {:else}<button class="button" onclick={() => void end(false)}>End search</button>{/if}
            </div>
          {/if}
        {/if}
      </div>
    {/if}
  </aside>
</div>

<style>
  .screen {
    height: calc(100dvh - 70px);
  }
  @media (max-width: 899px) {
    .screen {
      height: auto;
    }
    .ground {
      height: 38dvh;
    }
  }
  .tab {
    flex: 1;
    min-height: 40px;
    border-bottom: 3px solid transparent;
    font-weight: 600;
  }
  .tab[aria-selected='true'] {
    border-color: var(--ink);
  }
</style>
