<!-- Minutes of the planned set by airspeed: longest in the air, farthest against the wind, and what is flown. -->
<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import { line } from 'd3-shape';
  import { minutes, show, toShown, unitOf } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import type { Plan } from './draft.svelte';

  let { plan, work, cruise }: { plan: Plan; work: number; cruise: number | null } = $props();
  const W = 276;
  const H = 62;
  type P = [number, number];
  const curve = $derived(plan.speed_curve);
  const points = $derived(curve.points as P[]);
  const x = $derived(scaleLinear([0, points.at(-1)?.[0] ?? 20], [30, W - 8]));
  const top = $derived(Math.max(60, ...points.map((p) => p[1])));
  const y = $derived(scaleLinear([0, top], [H, 12]));
  const path = $derived(
    line<P>(
      (p) => x(p[0]),
      (p) => y(p[1]),
    )(points) ?? '',
  );
  const at = (v: number) => {
    const k = Math.max(
      1,
      points.findIndex((p) => p[0] >= v),
    );
    const [a, b] = [points[k - 1]!, points[k]!];
    return a[1] + ((b[1] - a[1]) * (v - a[0])) / Math.max(1e-9, b[0] - a[0]);
  };
  const marks = $derived(
    [
      { v: work, word: 'lines', ink: 'var(--ink)' },
      { v: cruise, word: 'ways', ink: 'var(--tarn)' },
      { v: curve.longest_m_s, word: 'longest', ink: 'var(--lichen)' },
      { v: curve.farthest_m_s, word: 'farthest', ink: 'var(--copper)' },
    ].filter((m): m is { v: number; word: string; ink: string } => m.v !== null && m.v > 0 && m.v <= (points.at(-1)?.[0] ?? 0)),
  );
</script>

<div class="mt-2 px-5 text-[13px]">
  <h2>Minutes by airspeed</h2>
  {#if curve.flat}
    <p class="quiet m-0 mt-1">
      The same at every speed: give mass and rotors of this model in the <a href="/fleet">fleet</a>, then power follows speed,
      load and air.
    </p>
  {:else}
    <svg
      width={W}
      height={H + 16}
      class="block"
      role="img"
      aria-label="Longest at {show(curve.longest_m_s ?? 0, 'm_s', session.units)}, farthest against the wind at {show(
        curve.farthest_m_s ?? 0,
        'm_s',
        session.units,
      )}; lines flown at {show(work, 'm_s', session.units)} give {minutes(at(work))}">
      <path d="M30 {H}H{W - 8}" stroke="var(--ink)" />
      <path d={path} fill="none" stroke="var(--ink)" stroke-width="2" />
      {#each marks as m (m.word)}
        <path d="M{x(m.v)} {y(at(m.v))}V{H}" stroke={m.ink} stroke-dasharray="3 3" />
        <circle cx={x(m.v)} cy={y(at(m.v))} r="3.6" fill="var(--sheet)" stroke={m.ink} stroke-width="2" />
      {/each}
      <text x="26" y={y(top) + 4} text-anchor="end">{Math.round(top / 60)}</text>
      <text x="26" y={H} text-anchor="end">0</text>
      <text x={W - 8} y={H + 13} text-anchor="end"
        >{Math.round(toShown(points.at(-1)![0], 'm_s', session.units))} {unitOf('m_s', session.units)}</text>
    </svg>
    <div class="flex flex-wrap gap-x-3">
      {#each marks as m (m.word)}<span style="color: {m.ink}"
          >{m.word} {show(m.v, 'm_s', session.units)}<span class="quiet ml-1">{minutes(at(m.v))}</span></span
        >{/each}
    </div>
  {/if}
</div>

<style>
  text {
    fill: var(--ink-2);
    font-size: 12px;
  }
</style>
