<!-- Figures over cycles: dots seen, lines through them, limits drawn, what is to come dashed and paler. -->
<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import { line } from 'd3-shape';

  type P = [number, number];
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
  let width = $state(360);
  const H = 176;
  const left = 34;
  const right = 52;
  const all = $derived(series.flatMap((s) => s.points));
  const ends = $derived([...(ahead ? [...ahead.low, ...ahead.high] : [])]);
  const xs = $derived([...all, ...ends].map((p) => p[0]));
  const ys = $derived([
    ...all.map((p) => p[1]),
    ...(limit ? [limit.value] : []),
    ...(ahead ? ahead.middle.map((p) => p[1]) : []),
  ]);
  const x = $derived(scaleLinear([Math.min(...xs), Math.max(...xs)], [left, width - right]));
  const span = $derived(Math.max(...ys) - Math.min(...ys) || 1);
  const y = $derived(scaleLinear([Math.min(...ys) - span * 0.12, Math.max(...ys) + span * 0.14], [H - 22, 6]));
  const draw = $derived(
    line<P>()
      .x((p) => x(p[0]))
      .y((p) => y(p[1])),
  );
  const top = $derived(y.range()[1]!);
  const floor = $derived(y.range()[0]!);
  const band = $derived(
    ahead
      ? [...ahead.low, ...[...ahead.high].reverse()].map((p) => `${x(p[0])},${Math.min(floor, Math.max(top, y(p[1])))}`).join(' ')
      : '',
  );
  const strong = $derived(series.find((s) => s.strong));
  const rest = $derived(series.filter((s) => !s.strong));
</script>

<div class="min-w-0" bind:clientWidth={width}>
  {#if all.length < 2}
    <p class="quiet rounded border-[1.5px] border-dashed border-rule bg-sheet px-4 py-8 text-center text-[13px]">{empty}</p>
  {:else}
    <svg {width} height={H} class="block" role="img" aria-label={label}>
      <rect x={left} y={top} width={Math.max(0, width - left - right)} height={floor - top} fill="var(--sheet)" />
      {#if limit}
        {@const l = Math.min(floor, Math.max(top, y(limit.value)))}
        <rect
          x={left}
          y={limit.below ? l : top}
          width={Math.max(0, width - left - right)}
          height={Math.max(0, limit.below ? floor - l : l - top)}
          fill="url(#p-grounded)"
          opacity=".7" />
        <path d="M{left} {l}H{width - right}" stroke="var(--madder)" stroke-width="1.6" />
        <text x={left + 6} y={limit.below ? l - 5 : l + 14} font-size="12" font-weight="640" fill="var(--madder)" class="halo"
          >{limit.words}</text>
      {/if}
      {#if watch !== null}
        <path d="M{left} {y(watch)}H{width - right}" stroke="var(--copper)" stroke-width="1.2" stroke-dasharray="5 4" />
      {/if}
      {#each y.ticks(4) as t (t)}
        <text x={left - 6} y={y(t) + 4} text-anchor="end" font-size="12" fill="var(--ink-2)">{Number(t.toFixed(2))}</text>
        <path d="M{left} {y(t)}H{width - right}" stroke="var(--rule)" stroke-width=".6" />
      {/each}
      {#each x.ticks(Math.max(2, Math.floor(width / 90))) as t (t)}
        <text x={x(t)} y={H - 6} text-anchor="middle" font-size="12" fill="var(--ink-2)">{t}</text>
      {/each}
      <text x={width - right + 6} y={H - 6} font-size="12" fill="var(--ink-2)">cycles</text>
      {#if ahead}
        <polygon points={band} fill="url(#p-home)" stroke="var(--tarn)" stroke-width=".8" stroke-dasharray="3 3" />
        <path d={draw(ahead.middle)} fill="none" stroke="var(--tarn)" stroke-width="1.8" stroke-dasharray="6 4" />
        <path d="M{x(ahead.from[0])} {top}V{floor}" stroke="var(--ink)" stroke-width="1.2" />
      {/if}
      {#each rest as s (s.name)}<path
          d={draw(s.points)}
          fill="none"
          stroke="var(--ink-2)"
          stroke-width="1"
          opacity=".75" />{/each}
      {#if strong}
        {#if !dots}<path d={draw(strong.points)} fill="none" stroke="var(--copper)" stroke-width="2.6" />{/if}
        {#each strong.points as p, k (k)}
          {#if dots}<circle cx={x(p[0])} cy={y(p[1])} r="2.6" fill="var(--ink)" />
          {:else}<rect
              x={x(p[0]) - 3}
              y={y(p[1]) - 3}
              width="6"
              height="6"
              fill="var(--sheet)"
              stroke="var(--copper)"
              stroke-width="1.8" />{/if}
        {/each}
        {@const end = strong.points.at(-1)!}
        {#if !dots}<text x={x(end[0]) + 8} y={y(end[1]) + 4} font-size="12.5" font-weight="640" fill="var(--copper)"
            >{strong.name}</text
          >{/if}
      {/if}
      <path d="M{left} {top}V{floor}H{width - right}" fill="none" stroke="var(--ink)" stroke-width="1.4" />
      <text x={left + 4} y={top + 12} font-size="11.5" fill="var(--ink-2)" class="halo">{unit}</text>
    </svg>
    {#if ahead}<p class="mt-1 text-[12.5px]">{ahead.words}</p>{/if}
  {/if}
</div>

<style>
  .halo {
    paint-order: stroke;
    stroke: var(--sheet);
    stroke-width: 4px;
  }
</style>
