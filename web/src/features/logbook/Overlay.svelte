<!-- Two groups of curves over one another: each flight thin, the middle of its group strong, the middle half washed. -->
<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import { area, line } from 'd3-shape';
  import type { Schemas } from '$shared/api/client';

  interface Props {
    compared: Schemas['CompareOut'];
    scale: (v: number) => number;
    x: string;
    y: string;
    names: [string, string];
  }
  let { compared, scale, x: along, y: up, names }: Props = $props();
  let width = $state(800);
  const H = 380;
  const L = 54;
  const R = 14;
  const groups = $derived([
    { of: compared.ours, colour: 'var(--tarn)', wash: 'var(--wash-tarn)', dash: '', name: names[0] },
    { of: compared.theirs, colour: 'var(--copper)', wash: 'var(--wash-copper)', dash: '7 4', name: names[1] },
  ]);
  const all = $derived(groups.flatMap((g) => g.of.curves));
  const xs = $derived(all.flatMap((c) => [c.x[0]!, c.x.at(-1)!]));
  const ys = $derived(all.flatMap((c) => c.y.map(scale)));
  const fx = $derived(scaleLinear([Math.min(...xs), Math.max(...xs)], [L, width - R]));
  const fy = $derived(scaleLinear([Math.min(...ys), Math.max(...ys)], [H - 40, 16]).nice(5));
  const draw = $derived(
    line<[number, number]>()
      .x((p) => fx(p[0]))
      .y((p) => fy(scale(p[1]))),
  );
  const wash = $derived(
    area<[number, number, number]>()
      .x((p) => fx(p[0]))
      .y0((p) => fy(scale(p[1])))
      .y1((p) => fy(scale(p[2]))),
  );
  const zip = (a: number[], b: number[]): [number, number][] => a.map((v, k) => [v, b[k]!]);
</script>

<div bind:clientWidth={width}>
  {#if !all.length}
    <p class="quiet rounded border-[1.5px] border-dashed border-rule bg-sheet px-4 py-12 text-center">
      None of these flights tells {up} over {along}. Choose another curve.
    </p>
  {:else}
    <svg {width} height={H} class="block rounded bg-sheet" role="img" aria-label="{names[0]} and {names[1]}: {up} over {along}">
      {#each fy.ticks(6) as t (t)}
        <path d="M{L} {fy(t)}H{width - R}" stroke="var(--rule)" stroke-width=".6" />
        <text x={L - 7} y={fy(t) + 4} text-anchor="end" font-size="12" fill="var(--ink-2)">{Number(t.toFixed(2))}</text>
      {/each}
      {#each fx.ticks(Math.max(3, Math.floor(width / 100))) as t (t)}
        <text x={fx(t)} y={H - 22} text-anchor="middle" font-size="12" fill="var(--ink-2)">{t}</text>
      {/each}
      <text x={width - R} y={H - 6} text-anchor="end" font-size="12" fill="var(--ink-2)">{along}</text>
      <text x={L + 6} y="14" font-size="12" fill="var(--ink-2)">{up}</text>
      {#each groups as g, n (n)}
        {#if g.of.band}<path
            d={wash(g.of.band.x.map((v, k) => [v, g.of.band!.low[k]!, g.of.band!.high[k]!]))}
            fill={g.wash}
            opacity=".8" />{/if}
      {/each}
      {#each groups as g, n (n)}
        {#each g.of.curves as c (c.id)}<path
            d={draw(zip(c.x, c.y))}
            fill="none"
            stroke={g.colour}
            stroke-width="1"
            stroke-dasharray={g.dash}
            opacity=".55" />{/each}
        {#if g.of.band}
          <path
            d={draw(zip(g.of.band.x, g.of.band.middle))}
            fill="none"
            stroke={g.colour}
            stroke-width="2.8"
            stroke-dasharray={g.dash} />
        {/if}
      {/each}
      <path d="M{L} 16V{H - 40}H{width - R}" fill="none" stroke="var(--ink)" stroke-width="1.4" />
    </svg>
  {/if}
</div>
