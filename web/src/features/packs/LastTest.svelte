<!-- The last load test cell by cell: from full down to the lowest volts of the climb, against good and bad. -->
<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import type { Schemas } from '$shared/api/client';

  interface Props {
    test: Schemas['TestOut'];
    levels: Schemas['LevelsOut'];
  }
  let { test, levels }: Props = $props();
  let width = $state(320);
  const H = 176;
  const good = $derived(levels.good ?? levels.full);
  const bad = $derived(levels.bad ?? levels.full);
  const lowest = $derived(Math.min(bad - 0.08, ...test.cell_v.map((v) => v - 0.05)));
  const y = $derived(scaleLinear([lowest, levels.full + 0.02], [H - 22, 8]));
  const x = (k: number) => 40 + ((k + 0.5) * (width - 54)) / test.cell_v.length;
  const tone = (v: number) => (v >= good ? 'var(--ink-2)' : v >= bad ? 'var(--copper)' : 'var(--madder)');
</script>

<div class="min-w-0" bind:clientWidth={width}>
  <svg
    {width}
    height={H}
    class="block"
    role="img"
    aria-label="Lowest volts: {test.cell_v.map((v, k) => `cell ${k + 1} ${v.toFixed(2)}`).join(', ')}">
    <rect x="36" y="8" width={Math.max(0, width - 42)} height={H - 30} fill="var(--sheet)" />
    <rect x="36" y={y(good)} width={Math.max(0, width - 42)} height={y(bad) - y(good)} fill="var(--wash-copper)" />
    <rect x="36" y={y(bad)} width={Math.max(0, width - 42)} height={H - 22 - y(bad)} fill="url(#p-grounded)" opacity=".7" />
    <path d="M36 {y(good)}H{width - 6}" stroke="var(--copper)" stroke-width="1.4" />
    <path d="M36 {y(bad)}H{width - 6}" stroke="var(--madder)" stroke-width="1.4" />
    {#each [levels.full, good, bad] as v, k (k)}<text
        x="31"
        y={y(v) + 4}
        text-anchor="end"
        font-size="12"
        fill={['var(--ink-2)', 'var(--copper)', 'var(--madder)'][k]}>{v.toFixed(1)}</text
      >{/each}
    {#each test.cell_v as v, k (k)}
      {@const weak = k + 1 === test.weakest_cell}
      <path d="M{x(k)} {y(levels.full)}V{y(v)}" stroke={tone(v)} stroke-width={weak ? 9 : 5} />
      <path d="M{x(k) - 7} {y(levels.full)}h14" stroke="var(--ink)" stroke-width="2" />
      <circle cx={x(k)} cy={y(v)} r={weak ? 5 : 3.6} fill="var(--sheet)" stroke={tone(v)} stroke-width="2" />
      {#if test.cell_v.length <= 7 || weak}<text
          x={x(k)}
          y={y(v) + 18}
          text-anchor="middle"
          font-size={weak ? 13.5 : 12}
          font-weight={weak ? 680 : 500}
          class="halo"
          fill={v >= good ? 'var(--ink)' : tone(v)}>{v.toFixed(2)}</text
        >{/if}
      <text x={x(k)} y={H - 6} text-anchor="middle" font-size="12" font-weight={weak ? 680 : 400} fill="var(--ink-2)"
        >{weak ? `cell ${k + 1}` : k + 1}</text>
    {/each}
  </svg>
</div>

<style>
  .halo {
    paint-order: stroke;
    stroke: var(--sheet);
    stroke-width: 3px;
  }
</style>
