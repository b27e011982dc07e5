<!-- The last load test cell by cell: from full down to the lowest volts of the climb, against good and bad. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';
  import Chart from '$shared/chart/Chart.svelte';
  import Level from '$shared/chart/Level.svelte';

  interface Props {
    test: Schemas['TestOut'];
    levels: Schemas['LevelsOut'];
  }
  let { test, levels }: Props = $props();
  const good = $derived(levels.good ?? levels.full);
  const bad = $derived(levels.bad ?? levels.full);
  const lowest = $derived(Math.min(bad - 0.08, ...test.cell_v.map((v) => v - 0.05)));
  const tone = (v: number) => (v >= good ? 'ink-2' : v >= bad ? 'copper' : 'madder');
  const name = (k: number) => (k === test.weakest_cell ? `cell ${k}` : String(k));
</script>

<Chart
  label="Lowest volts: {test.cell_v.map((v, k) => `cell ${k + 1} ${v.toFixed(2)}`).join(', ')}"
  height={176}
  x={[0.5, test.cell_v.length + 0.5]}
  y={[lowest, levels.full + 0.02]}
  margins={{ left: 36, right: 6 }}
  xTicks={test.cell_v.map((_, k) => k + 1)}
  xWords={name}
  yTicks={[levels.full, good, bad]}
  yWords={(v) => v.toFixed(1)}>
  {#snippet under(f)}
    <rect x={f.left} y={f.y(good)} width={f.right - f.left} height={f.y(bad) - f.y(good)} fill="var(--wash-copper)" />
    <Level {f} value={good} tone="copper" />
    <Level {f} value={bad} tone="madder" bad="below" />
  {/snippet}
  {#snippet children(f)}
    {#each test.cell_v as v, k (k)}
      {@const weak = k + 1 === test.weakest_cell}
      {@const x = f.x(k + 1)}
      <path d="M{x} {f.y(levels.full)}V{f.y(v)}" stroke="var(--{tone(v)})" stroke-width={weak ? 9 : 5} />
      <path d="M{x - 7} {f.y(levels.full)}h14" stroke="var(--ink)" stroke-width="2" />
      <circle cx={x} cy={f.y(v)} r={weak ? 5 : 3.6} fill="var(--sheet)" stroke="var(--{tone(v)})" stroke-width="2" />
      {#if test.cell_v.length <= 7 || weak}<text
          {x}
          y={f.y(v) + 18}
          text-anchor="middle"
          class="strong halo {v >= good ? '' : tone(v)}">{v.toFixed(2)}</text
        >{/if}
    {/each}
  {/snippet}
</Chart>
