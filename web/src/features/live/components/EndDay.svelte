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
  });
  async function end() {
    busy = true;
    if (await run.finish()) {
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
      {#if problem}<p class="problem mb-3" role="alert">{problem.detail}</p>{/if}
      <div class="flex flex-wrap justify-end gap-3">
        <Dialog.Close class="button !min-h-tap">Cancel</Dialog.Close>
        {#if ending?.can_undo}<button class="button !min-h-tap" disabled={busy} onclick={undo}>Undo beginning</button>{/if}
        <button class="button dark !min-h-tap" disabled={busy || blocked} onclick={end}>End day</button>
      </div>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
