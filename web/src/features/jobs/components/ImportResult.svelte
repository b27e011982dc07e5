<!-- What was done on bringing a file in: it stays until a person closes it. -->
<script lang="ts">
  import type { JobDraft } from '../state/draft.svelte';

  let { draft }: { draft: JobDraft } = $props();
  const told = $derived(draft.imported);
</script>

{#if told}
  <section
    class="mb-3 rounded border border-rule bg-paper px-3 py-2 text-small"
    aria-label="Import result"
    data-testid="import-result">
    <div class="flex items-baseline justify-between gap-2">
      <b class="min-w-0 [overflow-wrap:anywhere]">From {told.file}</b>
      <button class="button plain !px-2" aria-label="Close the import result" onclick={() => (draft.imported = null)}
        >Close</button>
    </div>
    <ul class="m-0 max-h-44 list-disc overflow-y-auto pl-4 [overflow-wrap:anywhere]">
      {#each told.notes as n, k (k)}
        <li>
          {n.words}
          {#if n.at}<button class="underline" onclick={() => (draft.lookAt = n.at as [number, number])}>show</button>{/if}
        </li>
      {/each}
    </ul>
  </section>
{/if}
