<!-- Groups of curves over one another: each flight thin, the middle of its group strong; where warnings came stands on each. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';
  import Chart from '$shared/chart/Chart.svelte';
  import { between, span, through, type Point, type Strip } from '$shared/chart/frame';
  import { LINES } from '../words/groups';

  interface Props {
    compared: Schemas['CompareOut'];
    scale: (v: number) => number;
    x: string;
    y: string;
    names: string[];
  }
  let { compared, scale, x: along, y: up, names }: Props = $props();
  const groups = $derived(compared.groups.map((of, k) => ({ of, ...LINES[k]! })));
  const all = $derived(compared.groups.flatMap((g) => g.curves));
  const xs = $derived(all.flatMap((c) => [c.x[0]!, c.x.at(-1)!]));
  const ys = $derived(all.flatMap((c) => c.y.map(scale)));
  const points = (along: number[], up: number[]): Point[] => along.map((v, k) => [v, scale(up[k]!)]);
  const strips = (b: { x: number[]; low: number[]; high: number[] }): Strip[] =>
    b.x.map((v, k) => [v, scale(b.low[k]!), scale(b.high[k]!)]);
  const many = $derived(groups.length > 2);
</script>

{#if !all.length}
  <p class="quiet rounded border-line border-dashed border-rule bg-sheet px-4 py-12 text-center">
    None of these flights tells {up} over {along}. Choose another curve.
  </p>
{:else}
  <Chart
    label="{names.join(' and ')}: {up} over {along}"
    height={380}
    x={span(xs)}
    y={span(ys, 0.04)}
    margins={{ left: 54, right: 14, top: 16, bottom: 40 }}
    xTicks={100}
    yTicks={6}
    xUnit={along}
    yUnit={up}>
    {#snippet under(f)}
      {#if !many}
        {#each groups as g, n (n)}
          {#if g.of.band}<path d={between(f, strips(g.of.band))} fill={g.wash} opacity=".8" />{/if}
        {/each}
      {/if}
    {/snippet}
    {#snippet children(f)}
      {#each groups as g, n (n)}
        {#each g.of.curves as c (c.id)}
          {#if !many || !g.of.band}<path
              d={through(f, points(c.x, c.y))}
              fill="none"
              stroke={g.colour}
              stroke-width="1"
              stroke-dasharray={g.dash}
              opacity=".55" />{/if}
          {#if c.warned}<path
              data-testid="warned"
              d="M{f.x(c.warned[0])},{f.y(scale(c.warned[1])) - 6}l5,9h-10z"
              fill="var(--sheet)"
              stroke={g.colour}
              stroke-width="1.6" />{/if}
          {#if c.critical}<path
              data-testid="critical"
              d="M{f.x(c.critical[0])},{f.y(scale(c.critical[1])) - 6}l5,9h-10z"
              fill={g.colour}
              stroke={g.colour}
              stroke-width="1.6" />{/if}
        {/each}
        {#if g.of.band}<path
            d={through(f, points(g.of.band.x, g.of.band.middle))}
            fill="none"
            stroke={g.colour}
            stroke-width="2.8"
            stroke-dasharray={g.dash} />{/if}
      {/each}
    {/snippet}
  </Chart>
{/if}
