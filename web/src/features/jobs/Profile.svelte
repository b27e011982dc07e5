<!-- Ground and flight along the work of a sortie, above home: how terrain is followed, and at which height it returns. -->
<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import { area, line } from 'd3-shape';
  import { show, toShown, unitOf } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import type { Plan, Sortie } from './draft.svelte';

  let { plan, sortie }: { plan: Plan; sortie: Sortie } = $props();
  let room = $state(640);
  const width = $derived(Math.max(320, room));
  const H = 66;
  const left = 40;
  const right = 62;
  type P = [number, number, number];
  const points = $derived(sortie.profile as P[]);
  const low = $derived(Math.min(0, ...points.map((p) => p[1])));
  const high = $derived(Math.max(plan.return_m, ...points.map((p) => p[2])) * 1.06);
  const x = $derived(scaleLinear([points[0]?.[0] ?? 0, points.at(-1)?.[0] ?? 1], [left, width - right]));
  const y = $derived(scaleLinear([low, high], [H, 6]));
  const ground = $derived(
    area<P>(
      (p) => x(p[0]),
      () => H,
      (p) => y(p[1]),
    )(points) ?? '',
  );
  const flight = $derived(
    line<P>(
      (p) => x(p[0]),
      (p) => y(p[2]),
    )(points) ?? '',
  );
  const h = (v: number) => Math.round(toShown(v, 'm', session.units));
</script>

<div class="min-w-0 px-6">
  <div bind:clientWidth={room}></div>
  {#if points.length}
    <svg
      {width}
      height={H + 4}
      class="mt-1 block"
      role="img"
      aria-label="Ground and flight along the lines: highest flight {show(
        Math.max(...points.map((p) => p[2])),
        'm',
        session.units,
      )} above home, return height {show(plan.return_m, 'm', session.units)}">
      <path d={ground} fill="url(#p-ready)" stroke="var(--ink-2)" stroke-width="1" />
      <path d="M{left} {y(plan.return_m)}H{width - right}" stroke="var(--tarn)" stroke-width="1.4" stroke-dasharray="6 4" />
      <path d={flight} fill="none" stroke="var(--ink)" stroke-width="1.8" stroke-dasharray="8 3" />
      <text x={left - 8} y={y(high / 1.06) + 6} text-anchor="end">{h(high / 1.06)}</text>
      <text x={left - 8} y={H} text-anchor="end">{h(low)} {unitOf('m', session.units)}</text>
      <text x={width - right + 6} y={y(plan.return_m) + 4} class="tarn">return {h(plan.return_m)}</text>
      <text x={width - right + 6} y={y(points.at(-1)![1]) - 2}>ground</text>
    </svg>
  {:else}<p class="quiet m-0 text-[13px]">
      No terrain is known here: flown {show(plan.highest_m, 'm', session.units)} above take-off. Load a grid on the map (I).
    </p>{/if}
</div>

<style>
  text {
    fill: var(--ink-2);
    font-size: 12px;
  }
  .tarn {
    fill: var(--tarn);
    font-weight: 600;
  }
</style>
