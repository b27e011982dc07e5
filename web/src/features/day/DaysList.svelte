<script lang="ts">
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { call } from '$shared/api/call';
  import { clock, dayName, hoursOf } from '$shared/format/units';
  import { Pages } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import { help } from '$shared/ui/help.svelte';
  import More from '$shared/ui/More.svelte';
  import { notices } from '$shared/ui/notices.svelte';

  let search = $state('');
  let archived = $state(false);
  const writable = $derived(session.may('day:write'));
  const days = new Pages((cursor) => call('GET', '/api/days', { params: { query: { search, archived, cursor } } }));
  let timer: ReturnType<typeof setTimeout>;
  $effect(() => {
    void [search, archived];
    clearTimeout(timer);
    timer = setTimeout(days.load, untrack(() => days.items) === null ? 0 : 180);
  });
  $effect(() => help.offer('days', [{ id: 'new-day', label: 'Make a day', keys: 'N', run: () => goto('/days/new') }]));
  async function put(id: string, away: boolean, undoable = true) {
    const path = { params: { path: { day_id: id } } };
    const { problem } = away
      ? await call('DELETE', '/api/days/{day_id}', path)
      : await call('POST', '/api/days/{day_id}/restore', path);
    if (problem) notices.say(problem.detail, { bad: true });
    else if (undoable) notices.say(away ? 'Day archived' : 'Day restored', { undo: () => void put(id, !away, false) });
    await days.load();
  }
</script>

<div class="mx-auto max-w-309 px-6 py-6">
  <div class="mb-5 flex flex-wrap items-end gap-4">
    <h1 class="mr-auto">Days</h1>
    <label class="flex items-center gap-2"><input type="checkbox" class="size-4" bind:checked={archived} />archived</label>
    <input class="input max-w-69" type="search" placeholder="Search day or job" aria-label="Search days" bind:value={search} />
    {#if writable}<a class="button dark" href="/days/new">Make a day</a>{/if}
  </div>
  <Failed of={days} />
  {#if days.items === null}{#if !days.problem}<p class="quiet" role="status">Looking for days …</p>{/if}
  {:else if !days.items.length}
    <div class="rounded border-line border-dashed border-rule bg-sheet px-8 py-12 text-center">
      {#if search}<p>Nothing matches “{search}”.</p>
        <button class="button mt-3" onclick={() => (search = '')}>Show all</button>
      {:else if archived}<p>No day is archived.</p>{:else}<h2 class="mb-2 text-title">No days yet</h2>
        <p class="mb-4">A day brings jobs, aircraft, packs and chargers together and says who flies and charges when.</p>
        {#if writable}<a class="button dark" href="/days/new">Make the first</a>{/if}{/if}
    </div>
  {:else}
    <table class="sheet-table bg-sheet">
      <thead
        ><tr
          ><th>date</th><th>day</th><th>jobs</th><th>hours</th><th class="whitespace-nowrap !text-right">last landing</th><th
            ><span class="visually-hidden">what can be done</span></th
          ></tr
        ></thead>
      <tbody>
        {#each days.items as d (d.id)}
          <tr class="hover:bg-paper-deep">
            <td class="whitespace-nowrap">{dayName(d.date)}</td>
            <td><a class="whitespace-nowrap font-semibold" href="/days/{d.id}">{d.name}</a></td>
            <td>{d.jobs.join(', ') || '—'}</td>
            <td class="whitespace-nowrap">{hoursOf(d)}</td>
            <td class="text-right font-semibold">{d.finish_s === null ? '—' : clock(d, d.finish_s)}</td>
            <td class="whitespace-nowrap text-right"
              >{#if d.archived}<button class="button" disabled={!writable} onclick={() => put(d.id, false)}>Restore</button
                >{:else}<button class="button plain" disabled={!writable} onclick={() => put(d.id, true)}>Archive</button
                >{/if}</td>
          </tr>
        {/each}
      </tbody>
    </table>
    <More of={days} />
  {/if}
</div>
