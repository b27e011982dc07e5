<!-- Which calibrations a plan was made with, each with its factor and where it comes from. -->
<script lang="ts">
  let { learnt }: { learnt: Record<string, string> | undefined } = $props();
  const rows = $derived(Object.entries(learnt ?? {}));
</script>

{#if rows.length}
  <details class="mt-2 text-small" data-testid="learnt">
    <summary class="cursor-pointer"
      >Planned by what flights taught: {rows.length === 1 ? '1 calibration' : `${rows.length} calibrations`}</summary>
    <ul class="m-0 list-none p-0 pl-4">
      {#each rows as [of, words] (of)}<li class="py-0.5">{of}: {words}</li>{/each}
      <li class="py-0.5"><a href="/logbook/claims">Rated and measured</a></li>
    </ul>
  </details>
{/if}
