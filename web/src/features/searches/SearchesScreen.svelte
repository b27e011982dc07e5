<!-- Searches: begun in under a minute from a point, a radius and a kind of person; those under way and ended. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { call } from '$shared/api/call';
  import { fileBody } from '$shared/api/file';
  import type { Problem } from '$shared/api/client';
  import { shortDate } from '$shared/format/dates';
  import { resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import { toProblem } from '$shared/ui/toProblem';

  let archived = $state(false);
  const searches = resource(() => call('GET', '/api/searches', { params: { query: { archived } } }));
  const kinds = resource(() => call('GET', '/api/person-kinds'));
  const fleet = resource(() => call('GET', '/api/fleet'));
  // Live knows its day alone: where one search is on it, that is the one meant.
  const ofDay = page.url.searchParams.get('day');
  const meant = $derived((searches.value ?? []).filter((s) => ofDay && s.day_id === ofDay));
  $effect(() => {
    if (meant.length === 1) void goto(`/searches/${meant[0]!.id}`, { replaceState: true });
  });
  const writable = $derived(session.may('jobs:write'));
  const able = $derived((fleet.value?.aircraft ?? []).filter((a) => !a.archived));

  let name = $state('');
  let point = $state.raw<[number, number] | null>(null);
  let typed = $state('');
  let home = $state.raw<[number, number] | null>(null);
  let typedHome = $state('');
  let radius = $state<number | null>(1000);
  let kind = $state('');
  let aircraft = $state<string | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let unread = $state.raw<Record<string, string>>({});
  let busy = $state(false);
  let input: HTMLInputElement | undefined = $state();
  let taken = $state.raw<{ id: string; notes: string[] } | null>(null);
  let refusal = $state('');

  async function takeOver(file: File | undefined) {
    if (!file) return;
    const { data, problem: bad } = await call('POST', '/api/searches/handover', fileBody(file));
    refusal = bad?.detail ?? '';
    taken = data ? { id: String(data.search_id), notes: data.notes } : null;
    if (data) void searches.load();
  }
  async function put(id: string, away: boolean) {
    const params = { params: { path: { search_id: id } } };
    const { problem: bad } = away
      ? await call('DELETE', '/api/searches/{search_id}', params)
      : await call('POST', '/api/searches/{search_id}/restore', params);
    if (bad) notices.say(bad.detail, { bad: true });
    else if (away) notices.say('Search archived', { undo: () => void put(id, false) });
    void searches.load();
  }
  const at = (field: string) => (problem?.field === field ? problem.detail : (unread[field] ?? ''));

  async function place(field: string, words: string): Promise<[number, number] | null> {
    unread = { ...unread, [field]: '' };
    if (!words.trim()) return null;
    const { data, problem: bad } = await call('GET', '/api/jobs/place', { params: { query: { text: words.slice(0, 120) } } });
    if (bad) unread = { ...unread, [field]: bad.detail };
    return data ? (data.at as [number, number]) : null;
  }
  async function begin(e: SubmitEvent) {
    e.preventDefault();
    const sheet = e.currentTarget as HTMLFormElement;
    busy = true;
    if (!fleet.value) await fleet.load();
    const flies = aircraft ?? String(able[0]?.id ?? '');
    [point, home] = [await place('point', typed), await place('home', typedHome)];
    if (typed.trim() && !point) {
      busy = false;
      await toProblem(sheet);
      return;
    }
    const { data, problem: bad } = await call('POST', '/api/searches', {
      body: {
        name: name.trim() || 'Search',
        kind_id: kind || null,
        person: '',
        what: {
          point,
          home: home ?? point,
          radius_m: radius ?? 1000,
          aircraft_ids: flies ? [flies] : [],
        } as never,
      },
    });
    busy = false;
    problem = bad;
    if (data) await goto(`/searches/${data.id}`);
    else await toProblem(sheet);
  }
</script>

<div class="mx-auto max-w-337 px-6 py-6">
  <div class="mb-5 flex flex-wrap items-end gap-4">
    <h1 class="mr-auto">Searches</h1>
    {#if writable}<button class="button" onclick={() => input?.click()}>Import handover</button>
      <input
        bind:this={input}
        type="file"
        accept=".geojson,.json"
        class="hidden"
        aria-label="Handover file"
        onchange={(e) => {
          void takeOver(e.currentTarget.files?.[0]);
          e.currentTarget.value = '';
        }} />{/if}
    <a class="button" href="/searches/kinds">Kinds of person, sweep widths</a>
    <label class="flex items-center gap-2"
      ><input type="checkbox" class="size-4" bind:checked={archived} onchange={() => void searches.load()} />archived</label>
  </div>
  {#if refusal}<p class="problem mb-4" role="alert">{refusal}</p>{/if}
  {#if taken}<div class="mb-4 border-2 border-ink bg-sheet px-4 py-3" role="status">
      <a class="font-semibold" href="/searches/{taken.id}">The search was imported: open it</a>
      {#each taken.notes as n (n)}<p class="m-0 text-small">{n}</p>{/each}
    </div>{/if}
  {#if writable}
    <form
      class="mb-6 grid grid-cols-3 items-end gap-x-6 gap-y-3 border-line border-rule bg-sheet p-5 max-tablet:grid-cols-1"
      onsubmit={begin}>
      <h2 class="col-span-full m-0">Begin a search</h2>
      <TextField label="Last known point, in any notation" value={typed} onchange={(v) => (typed = v)} problem={at('point')} />
      <TextField label="Home (empty: at the point)" value={typedHome} onchange={(v) => (typedHome = v)} problem={at('home')} />
      <TextField label="Name" value={name} onchange={(v) => (name = v)} maxlength={80} problem={at('name')} />
      <Choice
        label="Kind of person"
        value={kind}
        empty="not known"
        options={(kinds.value ?? []).map((k) => ({ value: String(k.id), label: k.example ? `${k.name} (example)` : k.name }))}
        onchange={(v) => (kind = v)} />
      <Choice
        label="Aircraft"
        value={aircraft ?? String(able[0]?.id ?? '')}
        empty="none"
        options={able.map((a) => ({ value: String(a.id), label: a.name }))}
        onchange={(v) => (aircraft = v)} />
      <NumberField
        label="Radius"
        quantity="m"
        digits={0}
        value={radius}
        onchange={(v) => (radius = v)}
        problem={at('what.radius_m')} />
      <p class="quiet col-span-2 m-0 text-small">
        Nothing of the missing is kept beyond what the search needs, and it can be deleted at its end.
      </p>
      <button class="button dark justify-self-end" disabled={busy || !typed.trim()}>Begin search</button>
    </form>
  {/if}
  <Failed of={fleet} class="mb-4" />
  <Failed of={searches} class="mb-4" />
  {#if searches.value === null}
    {#if !searches.problem}<p class="quiet" role="status">Looking for searches …</p>{/if}
  {:else if searches.value.length === 0}
    <p class="quiet">{archived ? 'No search is archived.' : 'No search yet.'}</p>
  {:else}
    <table class="sheet-table bg-sheet" data-testid="searches">
      <thead><tr><th>search</th><th>begun</th><th class="!text-right">segments</th><th>state</th><th></th></tr></thead>
      <tbody>
        {#each searches.value as s (s.id)}
          <tr class="hover:bg-paper-deep">
            <td><a href="/searches/{s.id}" class="font-semibold">{s.name}</a></td>
            <td>{shortDate(s.began_at)}</td>
            <td class="text-right">{s.segments}</td>
            <td>{s.found ? 'found' : s.ended_at ? 'ended' : 'under way'}</td>
            <td class="text-right"
              >{#if writable}<button class="button plain small" onclick={() => void put(s.id, !s.archived)}
                  >{s.archived ? 'Restore' : 'Archive'}</button
                >{/if}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  {/if}
</div>
