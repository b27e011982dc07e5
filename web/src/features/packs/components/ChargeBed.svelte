<!-- The charge of a pack as a small bed: height is charge, pattern is state. -->
<script lang="ts">
  import { percent } from '$shared/format/units';
  import type { Line } from '../state/shelf.svelte';

  let { line, onPort }: { line: Line; onPort?: number } = $props();
  const pattern = $derived(
    line.level === 'grounded' ? 'grounded' : onPort ? 'charging' : line.charge_frac > 0.945 ? 'ready' : 'resting',
  );
  const w = 62;
</script>

<span class="flex items-center gap-2">
  <svg width={w} height="22" class="block shrink-0" aria-hidden="true">
    <rect x=".5" y=".5" width={w - 1} height="21" fill="var(--paper)" stroke="var(--rule)" />
    <rect width={w * line.charge_frac} y="1" height="20" fill="url(#p-{pattern})" />
    <path d="M{w * line.charge_frac} 0v22" stroke="var(--ink)" stroke-width="1.5" />
    {#if onPort}<circle cx="11" cy="11" r="8" fill="var(--sheet)" stroke="var(--ink)" /><text
        x="11"
        y="15"
        text-anchor="middle"
        font-size="11"
        font-weight="650"
        fill="var(--ink)">{onPort}</text
      >{/if}
  </svg>
  <span class="whitespace-nowrap">{percent(line.charge_frac)}</span>
</span>
