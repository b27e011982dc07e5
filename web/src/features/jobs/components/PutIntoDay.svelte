<script lang="ts">
  import { goto } from '$app/navigation';
  import { Dialog } from 'bits-ui';
  import { call } from '$shared/api/call';
  import { dayName } from '$shared/format/units';
  import { figuresOf, openDays } from '$shared/days';
  import { allDays } from '$shared/lists';
  import { Resource } from '$shared/resource.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import type { Job } from '../state/draft.svelte';

  let { job, open = $bindable() }: { job: Job; open: boolean } = $props();
  const theDays = new Resource(allDays);
  const days = $derived(theDays.value && openDays(theDays.value, new Date().toISOString().slice(0, 10)));
  let problem = $state('');
  $effect(() => {
    if (open) void theDays.load();
  });

  async function into(dayId: string) {
    const { data, problem: unread } = await call('GET', '/api/days/{day_id}', { params: { path: { day_id: dayId } } });
    problem = unread?.detail ?? '';
    if (!data) return;
    const { version, jobs } = data.day;
    if (!jobs.some((j) => j.job_id === job.id)) {
      const body = {
        version,
        day: { ...figuresOf(data.day), jobs: [...jobs, { job_id: job.id, aircraft_id: job.aircraft_id }] },
      };
      const { problem: bad } = await call('PUT', '/api/days/{day_id}', { params: { path: { day_id: dayId } }, body });
      if (bad) {
        problem = bad.detail;
        return;
      }
    }
    await goto(`/days/${dayId}`);
  }
</script>

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-3 text-head">Schedule {job.name}</Dialog.Title>
      {#if problem}<p class="problem mb-2" role="alert">{problem}</p>{/if}
      <Failed of={theDays} class="mb-2" />
      {#if days === null && !theDays.problem}<p class="quiet" role="status">Looking for days …</p>{/if}
      <ul class="m-0 flex list-none flex-col gap-2 p-0">
        {#each days ?? [] as d (d.id)}
          <li>
            <button class="button w-full justify-between" onclick={() => into(d.id)}
              ><span>{d.name}</span><span class="quiet">{dayName(d.date)}</span></button>
          </li>
        {:else}{#if days}<li class="quiet">No day is open. Make one for it.</li>{/if}
        {/each}
      </ul>
      <div class="mt-4 flex justify-between gap-3">
        <a class="button dark" href="/days/new?job={job.id}">Make a day for it</a>
        <Dialog.Close class="button">Close</Dialog.Close>
      </div>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
