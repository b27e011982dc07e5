<!-- The chance of success over time as planned, with the middle half of days. -->
<script lang="ts">
  import Chart from '$shared/chart/Chart.svelte';
  import { between, through } from '$shared/chart/frame';
  import type { Schemas } from '$shared/api/client';
  import { percent } from '$shared/format/units';

  let { points }: { points: Schemas['CurvePoint'][] } = $props();
  const last = $derived(points.at(-1));
  const most = $derived(Math.max(0.02, ...points.map((p) => p.high_frac)) * 1.1);
  const least = $derived(Math.min(...points.map((p) => p.low_frac)));
</script>

{#if last && points.length > 1}
  <Chart
    label="Chance of success over time: {percent(last.success_frac)} after {Math.round(last.at_s / 60)} minutes"
    height={130}
    x={[0, last.at_s]}
    y={[least * 0.9, most]}
    margins={{ left: 40, right: 30, top: 6, bottom: 20 }}
    xTicks={[0, last.at_s / 2, last.at_s]}
    xWords={(v) => `${Math.round(v / 60)} min`}
    yTicks={[least, (least + most) / 2, most]}
    yWords={(v) => percent(v)}>
    {#snippet under(f)}
      <path
        d={between(
          f,
          points.map((p) => [p.at_s, p.low_frac, p.high_frac]),
        )}
        fill="var(--wash-heather)" />
    {/snippet}
    {#snippet children(f)}
      <path
        d={through(
          f,
          points.map((p) => [p.at_s, p.success_frac]),
        )}
        fill="none"
        stroke="var(--ink)"
        stroke-width="1.8" />
    {/snippet}
  </Chart>
  <p class="quiet m-0 text-note">POS over time; shaded: half of all days.</p>
{/if}
