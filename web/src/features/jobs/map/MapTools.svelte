<!-- The tools of the map in a row, each with its word; what a button does stands with its title. -->
<script lang="ts" module>
  export interface ToolButton {
    words: string;
    title: string;
    path: string;
    full?: boolean;
    on?: boolean;
    off?: boolean;
    /** False where fingers do the same. */
    phone?: false;
    run: () => void;
  }
</script>

<script lang="ts">
  let { groups }: { groups: ToolButton[][] } = $props();
</script>

<div class="no-print flex flex-wrap gap-1 rounded bg-sheet/95 p-1" role="toolbar" aria-label="Map tools">
  {#each groups as group, k (k)}
    {#if k}<span class="w-px bg-rule max-phone:hidden"></span>{/if}
    {#each group as b (b.title)}
      <button
        class="button tool {b.phone === false ? 'max-phone:hidden' : ''}"
        aria-pressed={b.on}
        aria-label={b.title}
        title={b.title}
        disabled={b.off}
        onclick={b.run}>
        <svg width="16" height="16" viewBox="0 0 16 16" aria-hidden="true"
          ><path
            d={b.path}
            fill={b.full ? 'currentColor' : 'none'}
            stroke="currentColor"
            stroke-width="1.7"
            stroke-linejoin="round" /></svg>
        {b.words}
      </button>
    {/each}
  {/each}
</div>

<style>
  .tool {
    flex-direction: column;
    gap: 1px;
    min-width: max(54px, var(--target));
    padding: 2px 4px;
    font-size: 12px;
    line-height: 1.2;
  }
</style>
