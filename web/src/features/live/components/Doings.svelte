<!-- What may have happened to a pack, a port or an aircraft, out of any order: one tap records it; what takes more with it asks. -->
<script lang="ts">
  import { Dialog } from 'bits-ui';
  import type { LiveState } from '../state/live.svelte';
  import type { Doing } from '../words/doings';
  import Pad from './Pad.svelte';

  interface Props {
    run: LiveState;
    /** What it is about, with what may be said of it; nothing: closed. */
    about: { title: string; stands: string; doings: Doing[]; shows?: string } | null;
    /** Tapped at once, without the list: it only asks. */
    asking?: Doing | null;
    onclose: () => void;
  }
  let { run, about, asking = null, onclose }: Props = $props();
  let chosen = $state.raw<Doing | null>(null);
  const ask = $derived(asking ?? chosen);
  let shown = $state('');
  let problem = $state('');
  function close() {
    chosen = null;
    shown = problem = '';
    onclose();
  }
  function did(d: Doing) {
    if (d.ask && ask !== d) {
      chosen = d;
      return;
    }
    void run.tap(d.tap, d.words, d.call);
    close();
  }
  function record(e: SubmitEvent) {
    e.preventDefault();
    const n = Number(shown.replace(',', '.'));
    if (!shown.trim() || !Number.isFinite(n) || n < 0 || n > 100) {
      problem = 'Charge lies between 0 and 100 %.';
      return;
    }
    void run.tap({ kind: 'off_port', figures: { pack: about!.shows!, frac: n / 100 } }, `${about!.shows} shows ${n} %`);
    close();
  }
</script>

<Dialog.Root bind:open={() => !!about || !!asking, (open) => !open && close()}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog text-title" aria-describedby={undefined}>
      {#if ask}
        <Dialog.Title class="sharp mb-3 text-page">{ask.words}?</Dialog.Title>
        <p class="mb-4">{ask.ask}</p>
        <div class="flex flex-wrap justify-end gap-3">
          <Dialog.Close class="button !min-h-tap-large">Cancel</Dialog.Close>
          <button class="button dark !min-h-tap-large" onclick={() => did(ask)}>{ask.words}</button>
        </div>
      {:else if about}
        <Dialog.Title class="sharp text-page break-words">{about.title}</Dialog.Title>
        <p class="mb-3">{about.stands}</p>
        <div class="grid grid-cols-2 gap-2 max-phone:grid-cols-1" data-testid="doings">
          {#each about.doings as d (d.words)}<button class="button !min-h-tap-large flex-col !gap-0" onclick={() => did(d)}
              ><span class="text-lead break-words">{d.words}</span><span class="text-body font-normal">{d.then}</span></button
            >{:else}<p class="quiet m-0">Nothing to record now.</p>{/each}
        </div>
        {#if about.shows}<form class="mt-4 border-t border-rule pt-3" onsubmit={record}>
            <Pad compact label="Charge it shows" unit="%" bind:value={shown} {problem} />
            <button class="button !min-h-tap mt-2">Record charge</button>
          </form>{/if}
        <div class="mt-4 flex justify-end"><Dialog.Close class="button !min-h-tap">Close</Dialog.Close></div>
      {/if}
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
