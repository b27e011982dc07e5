<script lang="ts">
  import { goto } from '$app/navigation';
  import { ask, client, type Schemas } from '$shared/api/client';
  import { clock, dayName } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { help } from '$shared/ui/help.svelte';
  import { notices } from '$shared/ui/notices.svelte';

  let days = $state.raw<Schemas['DayLine'][] | null>(null);
  let failed = $state('');
  let archived = $state(false);
  const writable = $derived(session.may('day:write'));
  async function load() {
    const { data, problem } = await ask<Schemas['DayLine'][]>(client.GET('/api/days', { params: { query: { archived } } }));
    failed = problem?.detail ?? '';
    if (data) days = data;
  }
  $effect(() => {
    void archived;
    void load();
  });
  $effect(() => help.offer('days', [{ id: 'new-day', label: 'Make a day', keys: 'N', run: () => goto('/days/new') }]));
  async function put(id: string, away: boolean, undoable = true) {
    const path = { params: { path: { day_id: id } } };
    const { problem } = away
      ? await ask<Schemas['DayAnswer']>(client.DELETE('/api/days/{day_id}', path))
      : await ask<Schemas['DayAnswer']>(client.POST('/api/days/{day_id}/restore', path));
    if (problem) notices.say(problem.detail, { bad: true });
    else if (undoable) notices.say(away ? 'Day put away' : 'Day brought back', { undo: () => void put(id, !away, false) });
    await load();
  }
</script>

<div class="mx-auto max-w-[1080px] px-6 py-6">
  <div class="mb-5 flex items-end gap-4">
    <h1 class="mr-auto">Days</h1>
    <label class="flex items-center gap-2"><input type="checkbox" class="size-4" bind:checked={archived} />put away</label>
    {#if writable}<a class="button dark" href="/days/new">Make a day</a>{/if}
  </div>
  {#if failed}<p class="problem mb-3" role="alert">
      {failed} <button class="button" onclick={load}>Try again</button>
    </p>{/if}
  {#if days === null}<p class="quiet" role="status">Looking for days …</p>
  {:else if !days.length}
    <div class="rounded border-[1.5px] border-dashed border-rule bg-sheet px-8 py-12 text-center">
      {#if archived}<p>No day has been put away.</p>{:else}<h2 class="mb-2 text-[18px]">No days yet</h2>
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
        {#each days as d (d.id)}
          <tr class="hover:bg-paper-deep">
            <td class="whitespace-nowrap">{dayName(d.date)}</td>
            <td><a class="whitespace-nowrap font-semibold" href="/days/{d.id}">{d.name}</a></td>
            <td>{d.jobs.join(', ') || '—'}</td>
            <td class="whitespace-nowrap">{d.opens} to {d.closes}</td>
            <td class="text-right font-semibold">{d.finish_s === null ? '—' : clock(d.opens, d.finish_s)}</td>
            <td class="whitespace-nowrap text-right"
              >{#if d.archived}<button class="button" disabled={!writable} onclick={() => put(d.id, false)}>Bring back</button
                >{:else}<button class="button plain" disabled={!writable} onclick={() => put(d.id, true)}>Put away</button
                >{/if}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  {/if}
</div>
