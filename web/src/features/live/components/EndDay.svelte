<!-- Ending a day at any time: what goes to records is said before; while nothing has happened, its beginning can be undone. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { Dialog } from 'bits-ui';
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { session } from '$shared/session.svelte';
  import type { LiveState } from '../state/live.svelte';

  let { run, open = $bindable(false), onended }: { run: LiveState; open: boolean; onended: () => void } = $props();
  let ending = $state.raw<Schemas['EndingOut'] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);
  let lacks = $state.raw<Schemas['DayLacks'][]>([]);
  let without = $state('');
  const lacking = $derived(lacks.filter((x) => x.lacks.length));
  const path = $derived({ params: { path: { day_id: run.id } } });
  const blocked = $derived(!ending || ending.in_the_air.length > 0 || ending.questions > 0);

  $effect(() => {
    if (!open) return;
    ending = null;
    problem = null;
    void call('GET', '/api/days/{day_id}/ending', path).then(({ data, problem: bad }) => {
      ending = data;
      problem = bad;
    });
    without = '';
    void call('GET', '/api/days/{day_id}/record-lacks', path).then(({ data, problem: bad }) => {
      if (data) lacks = data;
      else problem = bad;
    });
  });
  async function end() {
    busy = true;
    if (await run.finish(without)) {
      open = false;
      onended();
    } else problem = run.problem;
    busy = false;
  }
  async function undo() {
    busy = true;
    const { problem: bad } = await call('DELETE', '/api/days/{day_id}/live', { ...path, parseAs: 'text' });
    busy = false;
    if (bad && bad.status !== 204) {
      problem = bad;
      return;
    }
    open = false;
    void session.load();
    await goto(`/days/${run.id}`);
  }
  const count = (n: number, one: string) => `${n} ${one}${n === 1 ? '' : 's'}`;
</script>

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog text-title" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-3 text-page">End this day?</Dialog.Title>
      {#if !ending}<p class="quiet" role="status">{problem ? '' : 'Looking at what has happened …'}</p>
      {:else}
        <ul class="mb-4 list-disc pl-5">
          <li>
            {ending.flights || ending.charges
              ? `${count(ending.flights, 'flight')} and ${count(ending.charges, 'charge')} go to the records of their packs.`
              : 'Nothing goes to the records of packs.'}
          </li>
          <li>
            {ending.undone.length ? `Not flown: ${ending.undone.join(', ')}.` : 'Every sortie is flown.'}
          </li>
          {#if ending.in_the_air.length}<li class="problem">
              {ending.in_the_air.join(', ')} in the air: record the landing first.
            </li>{/if}
          {#if ending.questions}<li class="problem">Two accounts of one thing are open: say which is right first.</li>{/if}
        </ul>
      {/if}
      {#each lacking as x (x.job_id)}
        <div class="mb-3 border-y-2 border-copper bg-wash-copper px-3 py-2 text-lead" data-testid="day-lacks">
          <b>The spray record of {x.letter} lacks</b>
          <ul class="m-0 list-disc pl-5">
            {#each x.lacks as l (l)}<li>{l}</li>{/each}
          </ul>
          <a class="button mt-2 !min-h-tap" href="/days/{run.id}/spray/{x.job_id}">Open record {x.letter}</a>
        </div>
      {/each}
      {#if lacking.length}
        <label class="mb-4 block text-lead"
          >To end it without these, say why<input class="input mt-1 w-full" maxlength="300" bind:value={without} /></label>
      {/if}
      {#if problem}<p class="problem mb-3" role="alert">{problem.detail}</p>{/if}
      <div class="flex flex-wrap justify-end gap-3">
        <Dialog.Close class="button !min-h-tap">Cancel</Dialog.Close>
        {#if ending?.can_undo}<button class="button !min-h-tap" disabled={busy} onclick={undo}>Undo beginning</button>{/if}
        <button class="button dark !min-h-tap" disabled={busy || blocked || (lacking.length > 0 && !without.trim())} onclick={end}
          >End day</button>
      </div>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
