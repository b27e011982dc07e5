<!-- Time by line direction, with the chosen and the worst named; a click sets a direction by hand. -->
<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import Chart from '$shared/chart/Chart.svelte';
  import { between, span, through, type Point as P } from '$shared/chart/frame';
  import Why from '$shared/working/Why.svelte';
  import type { JobDraft, Plan } from '../state/draft.svelte';

  let { draft, plan, writable }: { draft: JobDraft; plan: Plan; writable: boolean } = $props();
  const points = $derived([...(plan.directions as P[]), ...(plan.directions.length ? [[180, plan.directions[0]![1]] as P] : [])]);
  const worst = $derived(points.reduce((a, b) => (b[1] > a[1] ? b : a), points[0] ?? [0, 0]));
  const least = $derived(points.reduce((a, b) => (b[1] < a[1] ? b : a), points[0] ?? [0, 0]));
  const room = $derived(
    span(
      points.map((p) => p[1]),
      0.35,
      0.3,
    ),
  );
  const inMinutes = $derived(scaleLinear([room[0] / 60, room[1] / 60], [0, 1]));
  const TICKS = 4;
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
</script>

{#if plan.laid_as}
  <div class="min-w-0 px-6 pt-3">
    <h2>Pattern</h2>
    <p class="mt-2">
      <Why text={plan.laid_as} name="pattern" of="jobs" id={draft.job!.id} key="bearing_deg" />
    </p>
    <p class="quiet text-note">Flown in its own order and never from its other end.</p>
  </div>
{:else}
  <div class="min-w-0 px-6 pt-3">
    <div class="flex items-baseline justify-between">
      <h2>Time by line direction</h2>
      {#if byHand && writable}<button class="underline decoration-dotted" onclick={() => set(null)}>take the best</button>{/if}
    </div>
    <div class="mt-2">
      <Chart
        label="Time by line direction: least at {Math.round(least[0])} degrees, most at {Math.round(worst[0])} degrees"
        height={152}
        x={[0, 180]}
        y={room}
        margins={{ left: 36, right: 14, top: 4, bottom: 20 }}
        xTicks={[0, 45, 90, 135, 180]}
        xWords={(v) => `${v}°`}
        yTicks={inMinutes.ticks(TICKS).map((m) => m * 60)}
        yWords={(v) => inMinutes.tickFormat(TICKS)(v / 60)}
        pick={writable ? (v) => set(Math.round(Math.min(179, Math.max(0, v)))) : null}>
        {#snippet under(f)}
          <path
            d={between(
              f,
              points.map((p) => [p[0], room[0], p[1]]),
            )}
            fill="var(--paper-deep)" />
        {/snippet}
        {#snippet children(f)}
          {@const beside = f.x(chosen[0]) > f.right - 106}
          <path d={through(f, points)} fill="none" stroke="var(--ink)" stroke-width="1.8" />
          <text
            x={f.x(worst[0])}
            y={f.y(worst[1]) - 7}
            text-anchor={worst[0] > 140 ? 'end' : worst[0] < 40 ? 'start' : 'middle'}
            class="halo">{Math.round(worst[1] / 60)} min at {Math.round(worst[0])}°</text>
          {#if !plan.along_bend}
            <path d="M{f.x(chosen[0])} {f.y(chosen[1])}V{f.floor}" stroke="var(--tarn)" stroke-width="1.6" />
            <circle cx={f.x(chosen[0])} cy={f.y(chosen[1])} r="5" fill="var(--tarn)" />
            <text
              x={f.x(chosen[0]) + (beside ? -9 : 9)}
              y={f.floor - 8}
              text-anchor={beside ? 'end' : 'start'}
              class="strong tarn halo">{Math.round(chosen[0])}°, {byHand ? 'by hand' : 'chosen'}</text>
          {/if}
        {/snippet}
      </Chart>
    </div>
    <p class="quiet text-note">
      {#if plan.along_bend}
        Lines follow the <Why text="bend" name="line direction" of="jobs" id={draft.job!.id} key="bearing_deg" />; the curve is of
        straight lines.
      {:else if plan.own_directions}
        Most lines at <Why
          text="{Math.round(plan.bearing_deg)}°"
          name="line direction"
          of="jobs"
          id={draft.job!.id}
          key="bearing_deg" />, areas apart have their own.
      {:else}
        Lines at <Why
          text="{Math.round(plan.bearing_deg)}°"
          name="line direction"
          of="jobs"
          id={draft.job!.id}
          key="bearing_deg" />. Ways home are left out here.
      {/if}
    </p>
  </div>
{/if}
