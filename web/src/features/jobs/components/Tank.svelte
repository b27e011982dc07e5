<!-- How the load of a sortie is sprayed: what is left in the tank along its lines, and the flow on each. -->
<script lang="ts">
  import Chart from '$shared/chart/Chart.svelte';
  import { through } from '$shared/chart/frame';
  import { minutes, show, toShown, unitOf } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import type { Plan, Sortie } from '../state/draft.svelte';

  let { plan, sortie, letter }: { plan: Plan; sortie: Sortie; letter: string } = $props();
  const rows = $derived((sortie.tank ?? []) as [number, number, number][]);
  const most = $derived(Math.max(0.1, ...rows.map((r) => r[1])));
  const flows = $derived(rows.filter((_, k) => k % 2 === 0).map((r) => r[2]));
  const least = $derived(Math.min(...flows));
  const top = $derived(Math.max(...flows));
  const litres = (v: number) => String(Number(toShown(v, 'l', session.units).toFixed(1)));
  const doses = $derived((plan.lines ?? []).filter((x) => sortie.lines.includes(x.number - 1)).map((x) => x.dose_l_ha ?? 0));
  const flowWords = $derived(
    top - least < 0.005
      ? show(top, 'l_min', session.units)
      : `${show(least, 'l_min', session.units)} to ${show(top, 'l_min', session.units)}`,
  );
  const doseWords = $derived.by(() => {
    const [low, high] = [Math.min(...doses), Math.max(...doses)];
    return high - low < 0.05
      ? show(high, 'l_ha', session.units)
      : `${show(low, 'l_ha', session.units)} to ${show(high, 'l_ha', session.units)}`;
  });
</script>

<div class="min-w-0 px-6 pt-3">
  {#if rows.length}
    <h2>
      What is left in the tank along {letter}{sortie.number}
      <span class="quiet ml-2 text-small font-normal" data-testid="tank-words"
        >{show(most, 'l', session.units)} filled, flow {flowWords}, the lines get {doseWords}</span>
    </h2>
    <div class="mt-2">
      <Chart
        label="Litres left in the tank along sortie {letter}{sortie.number}: {show(
          most,
          'l',
          session.units,
        )} at the first line, empty after {minutes(rows.at(-1)![0])}"
        height={130}
        least={240}
        x={[0, sortie.time_s]}
        y={[0, most * 1.05]}
        margins={{ left: 46, right: 62, top: 8, bottom: 20 }}
        xTicks={[0, rows[0]![0], rows.at(-1)![0]]}
        xWords={(v) => (v ? minutes(v) : '0')}
        yTicks={[0, most / 2, most]}
        yWords={(v) => `${litres(v)}${v ? '' : ` ${unitOf('l', session.units)}`}`}>
        {#snippet children(f)}
          <path
            d="{through(
              f,
              rows.map((r) => [r[0], r[1]]),
            )}L{f.x(rows.at(-1)![0])} {f.floor}L{f.x(rows[0]![0])} {f.floor}Z"
            fill="url(#p-charging)" />
          <path
            d={through(f, [[0, most], ...rows.map((r): [number, number] => [r[0], r[1]])])}
            fill="none"
            stroke="var(--ink)"
            stroke-width="1.8" />
        {/snippet}
      </Chart>
    </div>
  {:else}<p class="quiet m-0 text-small">Nothing is sprayed on this sortie.</p>{/if}
</div>
