<!-- Targets of a trial by distance: seen above, missed below; half the sweep width to each side is marked. -->
<script lang="ts">
  import Chart from '$shared/chart/Chart.svelte';
  import { show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';

  let { passes, width }: { passes: [number, boolean][]; width: number } = $props();
  const far = $derived(Math.max(10, width / 2, ...passes.map((p) => Math.abs(p[0]))) * 1.05);
  const seen = $derived(passes.filter((p) => p[1]).length);
</script>

<Chart
  label="{seen} of {passes.length} targets were seen; sweep width {Math.round(width)} m"
  height={76}
  x={[0, far]}
  y={[0, 1]}
  margins={{ left: 50, right: 28, top: 6, bottom: 20 }}
  xTicks={[0, width / 2, far]}
  xWords={(v) => show(v, 'm', session.units, 0)}
  yTicks={[0.2, 0.8]}
  yWords={(v) => (v > 0.5 ? 'seen' : 'missed')}>
  {#snippet children(f)}
    <path d="M{f.x(width / 2)} {f.y(1)}V{f.y(0)}" stroke="var(--ink)" stroke-dasharray="4 3" fill="none" />
    {#each passes as [d, s], nth (nth)}<circle
        cx={f.x(Math.abs(d))}
        cy={f.y(s ? 0.8 : 0.2)}
        r="4"
        fill={s ? 'var(--ink)' : 'none'}
        stroke="var(--ink)"
        stroke-width="1.4" />{/each}
  {/snippet}
</Chart>
