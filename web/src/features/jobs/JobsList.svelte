<script lang="ts">
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { Dialog } from 'bits-ui';
  import { call } from '$shared/api/call';
  import { toProblem } from '$shared/ui/toProblem';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { hours, show } from '$shared/format/units';
  import { Pages } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import { help } from '$shared/ui/help.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import More from '$shared/ui/More.svelte';
  import TextField from '$shared/ui/TextField.svelte';

  type Kind = Schemas['JobStart']['kind'];
  type Sort = 'changed' | 'name' | 'place' | 'kind';
  const SORTS: { id: Sort; label: string }[] = [
    { id: 'changed', label: 'last changed first' },
    { id: 'name', label: 'by name' },
    { id: 'place', label: 'by place' },
    { id: 'kind', label: 'by kind of work' },
  ];
  let search = $state(page.url.searchParams.get('q') ?? '');
  let archived = $state(page.url.searchParams.has('away'));
  let sort = $state<Sort>((page.url.searchParams.get('sort') as Sort) ?? 'changed');
  let making = $state(page.url.searchParams.has('new'));
  let name = $state('');
  let kind = $state<Kind>('mapping');
  let problem = $state.raw<Problem | null>(null);
  const writable = $derived(session.may('jobs:write'));
  const KINDS: { id: Kind; label: string; words: string }[] = [
    { id: 'mapping', label: 'Mapping', words: 'pictures with overlap' },
    { id: 'spraying', label: 'Spraying', words: 'so many litres a hectare' },
    { id: 'search', label: 'Search', words: 'to find something or someone' },
  ];

  let timer: ReturnType<typeof setTimeout>;
  const jobs = new Pages((cursor) => call('GET', '/api/jobs', { params: { query: { search, archived, sort, cursor } } }));
  $effect(() => {
    void [search, archived, sort];
    clearTimeout(timer);
    // What a load sets must not start the next one.
    timer = setTimeout(jobs.load, untrack(() => jobs.items) === null ? 0 : 180);
    const url = new URL(untrack(() => page.url));
    if (search) url.searchParams.set('q', search);
    else url.searchParams.delete('q');
    if (archived) url.searchParams.set('away', '1');
    else url.searchParams.delete('away');
    if (sort === 'changed') url.searchParams.delete('sort');
    else url.searchParams.set('sort', sort);
    history.replaceState(history.state, '', url);
  });
  $effect(() => help.offer('jobs', [{ id: 'new-job', label: 'Make a job', keys: 'N', run: () => (making = writable) }]));

  async function make(e: SubmitEvent) {
    e.preventDefault();
    const sheet = e.currentTarget as HTMLFormElement;
    const { data, problem: bad } = await call('POST', '/api/jobs', { body: { name: name.trim(), kind, place: '' } });
    problem = bad;
    if (data) await goto(`/jobs/${data.job.id}`);
    else await toProblem(sheet);
  }
  async function copy(id: string) {
    const { data, problem: bad } = await call('POST', '/api/jobs/{job_id}/copy', { params: { path: { job_id: id } } });
    if (data) await goto(`/jobs/${data.job.id}`);
    else notices.say(bad.detail, { bad: true });
  }
  async function put(id: string, away: boolean, undoable = true) {
    const path = { params: { path: { job_id: id } } };
    const { problem: bad } = away
      ? await call('DELETE', '/api/jobs/{job_id}', path)
      : await call('POST', '/api/jobs/{job_id}/restore', path);
    if (bad) notices.say(bad.detail, { bad: true });
    else if (undoable) notices.say(away ? 'Job archived' : 'Job restored', { undo: () => void put(id, !away, false) });
    await jobs.load();
  }
</script>

<div class="mx-auto max-w-337 px-6 py-6">
  <div class="mb-5 flex flex-wrap items-end gap-4">
    <h1 class="mr-auto">Jobs</h1>
    <label class="flex items-center gap-2"><input type="checkbox" class="size-4" bind:checked={archived} />archived</label>
    <select class="input w-auto" aria-label="Order of jobs" bind:value={sort}>
      {#each SORTS as o (o.id)}<option value={o.id}>{o.label}</option>{/each}
    </select>
    <input
      class="input max-w-74"
      type="search"
      placeholder="Search name, place, kind"
      aria-label="Search jobs"
      bind:value={search} />
    <a class="button" href="/searches">Searches</a>
    <button class="button dark" disabled={!writable} onclick={() => (making = true)}>Make a job</button>
  </div>
  <Failed of={jobs} class="mb-4" />
  {#if jobs.items === null}
    {#if !jobs.problem}<p class="quiet" role="status">Looking for jobs …</p>{/if}
  {:else if jobs.items.length === 0}
    <div class="rounded border-line border-dashed border-rule bg-sheet px-8 py-12 text-center">
      {#if search}<p>Nothing matches “{search}”.</p>
        <button class="button mt-3" onclick={() => (search = '')}>Show all</button>
      {:else if archived}<p>No job is archived.</p>
      {:else}<h2 class="mb-2 text-title">No jobs yet</h2>
        <p class="mb-4">A job is a piece of ground and what is to be done on it.</p>
        <button class="button dark" disabled={!writable} onclick={() => (making = true)}>Make the first</button>{/if}
    </div>
  {:else}
    <table class="sheet-table bg-sheet" data-testid="jobs">
      <thead
        ><tr
          ><th class="w-14"></th><th>job</th><th>work</th><th>aircraft</th><th class="!text-right">area</th><th
            class="!text-right">sorties</th
          ><th class="!text-right">in the air</th><th><span class="visually-hidden">what can be done</span></th></tr
        ></thead>
      <tbody>
        {#each jobs.items as j (j.id)}
          <tr class="hover:bg-paper-deep">
            <td class="sharp text-center text-head">{j.letter}</td>
            <td
              ><a href="/jobs/{j.id}" class="font-semibold">{j.name}</a>
              <div class="quiet text-small">{j.place || 'no place given'}</div></td>
            <td>{j.kind}</td>
            <td>{j.aircraft_model || '—'}</td>
            <td class="text-right">{j.area_ha === null ? '—' : show(j.area_ha, 'ha', session.units)}</td>
            <td class="text-right">{j.sorties_count ?? '—'}</td>
            <td class="text-right">{j.total_s === null ? '—' : hours(j.total_s)}</td>
            <td class="whitespace-nowrap text-right">
              {#if j.archived}<button class="button" disabled={!writable} onclick={() => put(j.id, false)}>Restore</button>
              {:else}<button class="button plain" disabled={!writable} onclick={() => copy(j.id)}>Copy</button><button
                  class="button plain"
                  disabled={!writable}
                  onclick={() => put(j.id, true)}>Archive</button
                >{/if}
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
    <More of={jobs} />
  {/if}
</div>

<Dialog.Root bind:open={making}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-4 text-head">A new job</Dialog.Title>
      <form class="flex flex-col gap-4" onsubmit={make}>
        <TextField label="What is it called?" live value={name} onchange={(v) => (name = v)} problem={problem?.detail ?? ''} />
        <fieldset class="grid grid-cols-3 gap-3 border-0 p-0">
          <legend class="mb-1">Kind of work</legend>
          {#each KINDS as k (k.id)}
            <label
              class="flex cursor-pointer flex-col rounded border-line p-3 {kind === k.id
                ? 'border-ink bg-paper-deep'
                : 'border-rule'}">
              <span class="flex items-center gap-2 font-semibold"
                ><input type="radio" name="kind" value={k.id} bind:group={kind} />{k.label}</span
              ><span class="quiet text-small">{k.words}</span>
            </label>
          {/each}
        </fieldset>
        <div class="flex justify-end gap-3">
          <Dialog.Close class="button" type="button">Cancel</Dialog.Close><button class="button dark" disabled={!name.trim()}
            >Make it</button>
        </div>
      </form>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
