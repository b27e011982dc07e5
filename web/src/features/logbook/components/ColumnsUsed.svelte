<!-- One line that opens: which columns of the log were used and how, and which not, with the reason. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';

  let { columns }: { columns: Schemas['ColumnUse'][] } = $props();
  const used = $derived(columns.filter((c) => c.words));
  const unused = $derived(columns.filter((c) => !c.words));
</script>

{#if columns.length}
  <details class="mt-2 text-small" data-testid="columns-used">
    <summary class="cursor-pointer font-semibold">Columns: {used.length} of {columns.length} used</summary>
    <dl class="m-0 grid grid-cols-2 gap-x-3">
      {#each used as c (c.header)}<dt class="border-b border-rule py-1 [overflow-wrap:anywhere]">{c.header}</dt>
        <dd class="m-0 border-b border-rule py-1">{c.words}{c.unit ? `, ${c.unit}` : ''}</dd>{/each}
      {#each unused as c (c.header)}<dt class="quiet border-b border-rule py-1 [overflow-wrap:anywhere]">{c.header}</dt>
        <dd class="quiet m-0 border-b border-rule py-1">not used: {c.why}</dd>{/each}
    </dl>
  </details>
{/if}
