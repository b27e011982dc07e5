<!-- Ground and flight along the work of a sortie, above home: how terrain is followed, and at which height it returns. -->
<script lang="ts">
  import Chart from '$shared/chart/Chart.svelte';
  import { between, through } from '$shared/chart/frame';
  import Level from '$shared/chart/Level.svelte';
  import { show, toShown, unitOf } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import type { Plan, Sortie } from '../state/draft.svelte';

  let { plan, sortie }: { plan: Plan; sortie: Sortie } = $props();
  const points = $derived(sortie.profile as [number, number, number][]);
  const low = $derived(Math.min(0, ...points.map((p) => p[1])));
  const high = $derived(Math.max(plan.return_m, ...points.map((p) => p[2])));
  const bends = $derived(sortie.bends as [number, number, number][]);
  const most = $derived(Math.max(0, ...bends.map((b) => Math.abs(b[2]))));
  /** The flight along a stretch, from end to end: points are farther apart than some stretches are long. */
  function stretch([from, to]: [number, number, number]): [number, number][] {
    const flight = (at: number) => {
      const k = Math.max(
        1,
        points.findIndex((p) => p[0] >= at),
      );
      const [a, b] = [points[k - 1]!, points[k]!];
      return a[2] + ((b[2] - a[2]) * (at - a[0])) / (b[0] - a[0]);
    };
    const between = points.filter((p) => p[0] > from && p[0] < to).map((p): [number, number] => [p[0], p[2]]);
    return [[from, flight(from)], ...between, [to, flight(to)]];
  }
  const h = (v: number) => Math.round(toShown(v, 'm', session.units));
</script>

<div class="min-w-0 px-6">
  {#if points.length}
    <div class="mt-1">
      <Chart
        label="Ground and flight along the lines: highest flight {show(
          Math.max(...points.map((p) => p[2])),
          'm',
          session.units,
        )} above home, return height {show(plan.return_m, 'm', session.units)}"
        height={70}
        least={240}
        x={[points[0]![0], points.at(-1)![0]]}
        y={[low, high * 1.06]}
        margins={{ left: 40, right: 62, top: 6, bottom: 4 }}
        xTicks={null}
        yTicks={[low, high]}
        yWords={(v) => `${h(v)}${v === low ? ` ${unitOf('m', session.units)}` : ''}`}>
        {#snippet children(f)}
          <path
            d={between(
              f,
              points.map((p) => [p[0], low, p[1]]),
            )}
            fill="url(#p-ready)"
            stroke="var(--ink-2)"
            stroke-width="1" />
          <Level {f} value={plan.return_m} tone="tarn" width={1.4} dash="6 4" />
          <path
            d={through(
              f,
              points.map((p) => [p[0], p[2]]),
            )}
            fill="none"
            stroke="var(--ink)"
            stroke-width="1.8"
            stroke-dasharray="8 3" />
          {#each bends as bend (bend[0])}<path
              data-testid="bend"
              d={through(f, stretch(bend))}
              fill="none"
              stroke="var(--madder)"
              stroke-width="4.5" />{/each}
          <text x={f.right + 6} y={f.y(plan.return_m) + 4} class="strong tarn">return {h(plan.return_m)}</text>
          <text x={f.right + 6} y={f.y(points.at(-1)![1]) - 2}>ground</text>
        {/snippet}
      </Chart>
    </div>
    {#if bends.length}<p class="quiet m-0 text-small">
        Wide line: the aircraft cannot climb or descend as steeply as the ground: up to {show(most, 'm', session.units)} off the height
        asked for.
      </p>{/if}
  {:else}<p class="quiet m-0 text-small">
      No terrain is known here: flown {show(plan.highest_m, 'm', session.units)} above take-off. Load a grid on the map (I).
    </p>{/if}
</div>
