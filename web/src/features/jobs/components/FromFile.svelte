<script lang="ts">
  import { Dialog } from 'bits-ui';
  import { show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { areasOf, preset, type Choice, type Outline } from '../state/outline';

  let {
    file,
    found,
    onuse,
    oncancel,
  }: {
    file: string;
    found: Outline | null;
    onuse: (choice: Choice) => void;
    oncancel: () => void;
  } = $props();
  let choice = $state<Choice>(preset());
  $effect(() => {
    if (found) choice = preset();
  });
  const areas = $derived(found ? areasOf(found) : []);
</script>

<Dialog.Root open={found !== null} onOpenChange={(open) => !open && oncancel()}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog max-h-[88dvh] overflow-y-auto" aria-describedby={undefined}>
      {#if found}
        <Dialog.Title class="sharp mb-1 text-head">What to take from this file</Dialog.Title>
        <p class="quiet mb-4 [overflow-wrap:anywhere]">{file}</p>
        <form
          class="flex flex-col gap-4"
          onsubmit={(e) => {
            e.preventDefault();
            onuse(choice);
          }}>
          <fieldset class="flex flex-col gap-1 border-0 p-0">
            <legend class="mb-1 font-semibold">Area of the job</legend>
            {#each areas as a, k (k)}
              <div class="flex items-center gap-3 border-t border-rule py-1.5">
                <label class="flex min-w-0 flex-1 items-center gap-2 [overflow-wrap:anywhere]"
                  ><input type="radio" class="size-4 shrink-0" name="area" value={k} bind:group={choice.area} />
                  <span class="min-w-0">{a.name || `area ${k + 1}, without a name`}</span></label>
                <span class="quiet whitespace-nowrap text-small"
                  >{show(a.area_ha, 'ha', session.units)}{a.keep_outs.length
                    ? `, ${a.keep_outs.length} hole${a.keep_outs.length > 1 ? 's' : ''}`
                    : ''}</span>
                <label class="flex items-center gap-2 text-small" class:invisible={choice.area === k}
                  ><input
                    type="checkbox"
                    class="size-4"
                    value={k}
                    disabled={choice.area === k}
                    bind:group={choice.keepOut} />keep-out</label>
              </div>
            {/each}
          </fieldset>
          {#if found.points.length}
            <fieldset class="flex flex-col gap-1 border-0 p-0">
              <legend class="mb-1 font-semibold">Home</legend>
              <label class="flex items-center gap-2 border-t border-rule py-1.5"
                ><input type="radio" class="size-4" name="home" value={null} bind:group={choice.home} />none of these points; I
                set it myself</label>
              {#each found.points as p, k (k)}
                <label class="flex items-center gap-2 border-t border-rule py-1.5"
                  ><input type="radio" class="size-4 shrink-0" name="home" value={k} bind:group={choice.home} />
                  <span class="min-w-0 flex-1 [overflow-wrap:anywhere]">{p.name || `point ${k + 1}, without a name`}</span>
                  <span class="quiet whitespace-nowrap text-small"
                    >{show(p.away_m, 'm', session.units)} from the largest area</span
                  ></label>
              {/each}
            </fieldset>
          {/if}
          {#if found.notes.length}
            <ul class="quiet list-disc pl-5 text-small [overflow-wrap:anywhere]">
              {#each found.notes as note, nth (nth)}<li>{note}</li>{/each}
            </ul>
          {/if}
          <div class="flex justify-end gap-3">
            <Dialog.Close class="button" type="button">Cancel</Dialog.Close><button class="button dark">Use</button>
          </div>
        </form>
      {/if}
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
