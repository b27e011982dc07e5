<!-- Minutes of the planned set by airspeed: longest in the air, farthest against the wind, and what is flown. -->
<script lang="ts">
  import Chart from '$shared/chart/Chart.svelte';
  import { heightAt, through, type Point } from '$shared/chart/frame';
  import { minutes, show, toShown, unitOf } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import type { Plan } from '../state/draft.svelte';

  let { plan, work, cruise }: { plan: Plan; work: number; cruise: number | null } = $props();
  const curve = $derived(plan.speed_curve);
  const points = $derived(curve.points as Point[]);
  const last = $derived(points.at(-1)?.[0] ?? 20);
  const top = $derived(Math.max(60, ...points.map((p) => p[1])));
  const at = (v: number) => heightAt(points, v);
  // The speed set is over ground: in wind the lines need more or less through the air.
  const airs = $derived(plan.lines?.length ? plan.lines.map((x) => x.air_m_s) : [work]);
  const fastest = $derived(Math.max(...airs));
  const lines = $derived(fastest - Math.min(...airs) < 0.1 ? 'lines' : 'lines up to');
  const marks = $derived(
    [
      { v: fastest, word: lines, ink: 'var(--ink)' },
      { v: cruise, word: 'ways', ink: 'var(--tarn)' },
      { v: curve.longest_m_s, word: 'longest', ink: 'var(--lichen)' },
      { v: curve.farthest_m_s, word: 'farthest', ink: 'var(--copper)' },
    ].filter((m): m is { v: number; word: string; ink: string } => m.v !== null && m.v > 0 && m.v <= (points.at(-1)?.[0] ?? 0)),
  );
</script>

<div class="mt-2 px-5 text-small">
  <h2>Minutes by airspeed</h2>
  {#if curve.flat}
    <p class="quiet m-0 mt-1">
      Counted the same up to cruise, and beyond it as drag alone: give mass and rotors of this model in the <a href="/fleet"
        >fleet</a
      >, then power follows speed, load and air.
    </p>
  {:else}
    <Chart
      label="Longest at {show(curve.longest_m_s ?? 0, 'm_s', session.units)}, farthest against the wind at {show(
        curve.farthest_m_s ?? 0,
        'm_s',
        session.units,
      )}; {lines}
      {show(fastest, 'm_s', session.units)} give {minutes(at(fastest))}"
      height={80}
      fixed={276}
      x={[0, last]}
      y={[0, top]}
      margins={{ left: 30, right: 22, top: 12, bottom: 18 }}
      xTicks={[last]}
      yTicks={[0, top]}
      xWords={(v) => `${Math.round(toShown(v, 'm_s', session.units))} ${unitOf('m_s', session.units)}`}
      yWords={(v) => String(Math.round(v / 60))}>
      {#snippet children(f)}
        <path d={through(f, points)} fill="none" stroke="var(--ink)" stroke-width="2" />
        {#each marks as m (m.word)}
          <path d="M{f.x(m.v)} {f.y(at(m.v))}V{f.floor}" stroke={m.ink} stroke-dasharray="3 3" />
          <circle cx={f.x(m.v)} cy={f.y(at(m.v))} r="3.6" fill="var(--sheet)" stroke={m.ink} stroke-width="2" />
        {/each}
      {/snippet}
    </Chart>
    <div class="flex flex-wrap gap-x-3">
      {#each marks as m (m.word)}<span style="color: {m.ink}"
          >{m.word} {show(m.v, 'm_s', session.units)}<span class="quiet ml-1">{minutes(at(m.v))}</span></span
        >{/each}
    </div>
  {/if}
</div>
