<!-- Figures over cycles: dots seen, lines through them, limits drawn, what is to come dashed and paler. -->
<script lang="ts">
  import Chart from '$shared/chart/Chart.svelte';
  import { between, span, through, type Point as P } from '$shared/chart/frame';
  import Level from '$shared/chart/Level.svelte';
  import Plumb from '$shared/chart/Plumb.svelte';

  interface Series {
    name: string;
    points: P[];
    strong?: boolean;
  }
  interface Props {
    label: string;
    series: Series[];
    unit: string;
    /** Values beyond a limit are hatched; ``below`` says on which side it is bad. */
    limit: { value: number; words: string; below: boolean } | null;
    watch?: number | null;
    ahead?: { from: P; middle: P[]; low: P[]; high: P[]; words: string } | null;
    dots?: boolean;
    empty: string;
  }
  let { label, series, unit, limit, watch = null, ahead = null, dots = false, empty }: Props = $props();
  const all = $derived(series.flatMap((s) => s.points));
  const xs = $derived([...all, ...(ahead ? [...ahead.low, ...ahead.high] : [])].map((p) => p[0]));
  const ys = $derived([
    ...all.map((p) => p[1]),
    ...(limit ? [limit.value] : []),
    ...(ahead ? ahead.middle.map((p) => p[1]) : []),
  ]);
  const strong = $derived(series.find((s) => s.strong));
  const rest = $derived(series.filter((s) => !s.strong));
</script>

{#if all.length < 2}
  <p class="quiet rounded border-line border-dashed border-rule bg-sheet px-4 py-8 text-center text-small">{empty}</p>
{:else}
  <Chart
    {label}
    height={190}
    x={span(xs)}
    y={span(ys, 0.12, 0.14)}
    margins={{ left: 34, right: 52, top: 6, bottom: 36 }}
    yWords={(v) => String(Number(v.toFixed(2)))}
    xUnit="cycles"
    yUnit={unit}>
    {#snippet under(f)}
      {#if limit}<Level {f} value={limit.value} tone="madder" bad={limit.below ? 'below' : 'above'} />{/if}
      {#if watch !== null}<Level {f} value={watch} tone="copper" dash="5 4" />{/if}
    {/snippet}
    {#snippet children(f)}
      {#if limit}<Level {f} value={limit.value} tone="madder" words={limit.words} under={!limit.below} />{/if}
      {#if ahead}
        <path
          d={between(
            f,
            ahead.low.map((p, k) => [p[0], p[1], ahead.high[k]?.[1] ?? p[1]]),
          )}
          fill="url(#p-home)"
          stroke="var(--tarn)"
          stroke-width=".8"
          stroke-dasharray="3 3" />
        <path d={through(f, ahead.middle)} fill="none" stroke="var(--tarn)" stroke-width="1.8" stroke-dasharray="6 4" />
        <Plumb {f} at={ahead.from[0]} width={1.2} />
      {/if}
      {#each rest as s (s.name)}
        <path d={through(f, s.points)} fill="none" stroke="var(--ink-2)" stroke-width="1" opacity=".75" />
      {/each}
      {#if strong}
        {#if !dots}<path d={through(f, strong.points)} fill="none" stroke="var(--copper)" stroke-width="2.6" />{/if}
        {#each strong.points as p, k (k)}
          {#if dots}<circle cx={f.x(p[0])} cy={f.y(p[1])} r="2.6" fill="var(--ink)" />
          {:else}<rect
              x={f.x(p[0]) - 3}
              y={f.y(p[1]) - 3}
              width="6"
              height="6"
              fill="var(--sheet)"
              stroke="var(--copper)"
              stroke-width="1.8" />{/if}
        {/each}
        {@const end = strong.points.at(-1)!}
        {#if !dots}<text x={f.x(end[0]) + 8} y={f.y(end[1]) + 4} class="strong copper">{strong.name}</text>{/if}
      {/if}
    {/snippet}
  </Chart>
  {#if ahead}<p class="mt-1 text-note">{ahead.words}</p>{/if}
{/if}
