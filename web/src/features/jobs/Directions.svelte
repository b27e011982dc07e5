<!-- Time by line direction, with the chosen and the worst named; a click sets a direction by hand. -->
<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import { area, line } from 'd3-shape';
  import Why from '$shared/working/Why.svelte';
  import type { JobDraft, Plan } from './draft.svelte';

  let { draft, plan, writable }: { draft: JobDraft; plan: Plan; writable: boolean } = $props();
  let width = $state(300);
  const H = 132;
  const left = 36;
  type P = [number, number];
  const points = $derived([...(plan.directions as P[]), ...(plan.directions.length ? [[180, plan.directions[0]![1]] as P] : [])]);
  const worst = $derived(points.reduce((a, b) => (b[1] > a[1] ? b : a), points[0] ?? [0, 0]));
  const least = $derived(points.reduce((a, b) => (b[1] < a[1] ? b : a), points[0] ?? [0, 0]));
  const x = $derived(scaleLinear([0, 180], [left, width - 14]));
  const y = $derived(scaleLinear([least[1] - (worst[1] - least[1]) * 0.35, worst[1] + (worst[1] - least[1]) * 0.3], [H, 10]));
  const ticks = $derived(
    scaleLinear(
      y.domain().map((s) => s / 60),
      y.range(),
    )
      .ticks(4)
      .map((m) => m * 60)
      .filter((t) => y(t) < H - 4 && y(t) > 8),
  );
  const chosen = $derived.by((): P => {
    const near = points.reduce(
      (a, b) => (Math.abs(b[0] - plan.bearing_deg) < Math.abs(a[0] - plan.bearing_deg) ? b : a),
      points[0] ?? [0, 0],
    );
    return [plan.bearing_deg, near[1]];
  });
  const byHand = $derived(draft.job?.lines.bearing_deg !== null);

  function set(bearing: number | null) {
    if (writable) draft.change({ lines: { ...draft.job!.lines, bearing_deg: bearing } });
  }
  function pick(e: MouseEvent & { currentTarget: SVGElement }) {
    const box = e.currentTarget.getBoundingClientRect();
    set(Math.round(Math.min(179, Math.max(0, x.invert(e.clientX - box.left)))));
  }
  const anchor = (v: number) => (x(v) > width - 70 ? 'end' : x(v) < left + 60 ? 'start' : 'middle');
</script>

<div class="min-w-0 px-6 pt-3">
  <div bind:clientWidth={width}></div>
  <div class="flex items-baseline justify-between">
    <h2>Time by line direction</h2>
    {#if byHand && writable}<button class="underline decoration-dotted" onclick={() => set(null)}>take the best</button>{/if}
  </div>
  <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
  <svg
    {width}
    height={H + 20}
    class="mt-2 block {writable ? 'cursor-crosshair' : ''}"
    role="img"
    aria-label="Time by line direction: least at {Math.round(least[0])} degrees, most at {Math.round(worst[0])} degrees"
    onclick={pick}>
    <rect x={left} y={4} width={Math.max(0, width - left - 14)} height={H - 4} fill="var(--sheet)" />
    <path
      d={area<P>(
        (p) => x(p[0]),
        H,
        (p) => y(p[1]),
      )(points) ?? ''}
      fill="var(--paper-deep)" />
    <path
      d={line<P>(
        (p) => x(p[0]),
        (p) => y(p[1]),
      )(points) ?? ''}
      fill="none"
      stroke="var(--ink)"
      stroke-width="1.8" />
    {#each ticks as t (t)}<text x={left - 6} y={y(t) + 4} text-anchor="end">{Math.round(t / 60)}</text>{/each}
    <text x={x(worst[0])} y={y(worst[1]) - 7} text-anchor={anchor(worst[0])}
      >{Math.round(worst[1] / 60)} min at {Math.round(worst[0])}°</text>
    <path d="M{x(chosen[0])} {y(chosen[1])}V{H}" stroke="var(--tarn)" stroke-width="1.6" />
    <circle cx={x(chosen[0])} cy={y(chosen[1])} r="5" fill="var(--tarn)" />
    <text
      x={x(chosen[0]) + (x(chosen[0]) > width - 120 ? -9 : 9)}
      y={H - 8}
      text-anchor={x(chosen[0]) > width - 120 ? 'end' : 'start'}
      class="tarn">{Math.round(chosen[0])}°, {byHand ? 'by hand' : 'chosen'}</text>
    {#each [0, 45, 90, 135, 180] as a (a)}<text x={x(a)} y={H + 15} text-anchor={a === 180 ? 'end' : 'middle'}>{a}°</text>{/each}
  </svg>
  <p class="quiet text-[12.5px]">
    Lines at <Why text="{Math.round(plan.bearing_deg)}°" name="line direction" of="jobs" id={draft.job!.id} key="bearing_deg" />.
    Ways home are left out here.
  </p>
</div>

<style>
  text {
    fill: var(--ink-2);
    font-size: 12.5px;
    font-weight: 520;
    paint-order: stroke;
    stroke: var(--map-halo);
    stroke-width: 4px;
  }
  .tarn {
    fill: var(--tarn);
    font-weight: 650;
  }
</style>
