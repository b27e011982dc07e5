<!-- The energy ribbon of one sortie: usable for work, way home, reserve and minimum; below, the strip of lines. -->
<script lang="ts">
  import Chart from '$shared/chart/Chart.svelte';
  import { between, heightAt, through, type Strip } from '$shared/chart/frame';
  import Level from '$shared/chart/Level.svelte';
  import Plumb from '$shared/chart/Plumb.svelte';
  import { minutes, percent, show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import WindArrow from '$shared/ui/WindArrow.svelte';
  import type { Plan, Sortie } from '../state/draft.svelte';

  let { plan, sortie, letter, assumed = false }: { plan: Plan; sortie: Sortie; letter: string; assumed?: boolean } = $props();
  const H = 132;
  const end = $derived(Math.max(sortie.time_s, sortie.turn_back_s));
  /** Seconds, what is left, what the way home needs above the reserve. */
  const points = $derived(sortie.ribbon as Strip[]);
  const ticks = $derived(everyMinutes(end));

  function everyMinutes(total: number): number[] {
    const step = total > 2400 ? 600 : total > 900 ? 300 : total > 300 ? 120 : 60;
    return Array.from({ length: Math.floor(total / step) + 1 }, (_, k) => k * step);
  }

  function merge(legs: Sortie['legs'], room: number) {
    const wide = legs.filter((l) => l.kind === 'line').length * 22 > room;
    if (!wide)
      return legs.map((l) => ({
        ...l,
        label: l.kind === 'line' ? String(l.line + 1) : l.kind === 'home' ? 'home' : '',
      }));
    // Too many lines for a number each: they stand as one block with the first and the last.
    const lines = legs.filter((l) => l.kind === 'line');
    const first = lines[0]!;
    const last = lines.at(-1)!;
    const block = { ...first, end_s: last.end_s, label: `lines ${first.line + 1} to ${last.line + 1}` };
    return [
      ...legs
        .filter((l) => l.kind !== 'line' && l.kind !== 'transit')
        .map((l) => ({ ...l, label: l.kind === 'home' ? 'home' : '' })),
      block,
    ];
  }
</script>

<div class="min-w-0 px-6 pt-3">
  <h2>
    What is left {sortie.set || plan.pack.name
      ? `in ${(sortie.set || plan.pack.name).includes('+') ? 'packs' : 'pack'} ${sortie.set || plan.pack.name} `
      : ''}along {letter}{sortie.number}
    <span class="quiet ml-2 text-small font-normal">{minutes(sortie.spare_s)} to spare</span>
    <span class="ml-3 inline-block whitespace-nowrap text-small font-normal" data-testid="planned-wind"
      ><WindArrow from={plan.air.from_deg} size={18} />
      {show(plan.air.wind_m_s, 'm_s', session.units)}{assumed ? ', assumed' : ''}</span>
  </h2>
  <div class="mt-2">
    <Chart
      label="Energy along sortie {letter}{sortie.number}: lands with {percent(sortie.landing_frac)}, reserve {percent(
        plan.reserve_frac,
      )}, last turn-back at {minutes(sortie.turn_back_s)}"
      height={H + 46}
      x={[0, end]}
      y={[0, 1]}
      margins={{ left: 40, right: 70, top: 10, bottom: 46 }}
      xTicks={null}
      yTicks={[1, 0.5, 0]}
      yWords={(v) => (v ? String(v * 100) : '0 %')}>
      {#snippet under(f)}
        <rect
          x={f.left}
          y={f.y(plan.reserve_frac)}
          width={f.right - f.left}
          height={f.floor - f.y(plan.reserve_frac)}
          fill="url(#p-grounded)"
          opacity=".75" />
        <path
          d={between(
            f,
            points.map((p) => [p[0], p[2], Math.max(p[1], p[2])]),
          )}
          fill="var(--wash-lichen)" />
        <path
          d={between(
            f,
            points.map((p) => [p[0], plan.reserve_frac, p[2]]),
          )}
          fill="url(#p-home)" />
      {/snippet}
      {#snippet children(f)}
        {@const turn = f.x(sortie.turns_home_s)}
        {@const back = f.x(sortie.turn_back_s)}
        {@const room = f.right - f.left}
        <path
          d={through(
            f,
            points.map((p) => [p[0], p[2]]),
          )}
          fill="none"
          stroke="var(--tarn)"
          stroke-width="1.4"
          stroke-dasharray="6 4" />
        <Level {f} value={plan.reserve_frac} tone="madder" width={1.8} />
        <Level {f} value={plan.floor_frac} tone="madder" width={1} dash="4 3" />
        <path
          d={through(
            f,
            points.map((p) => [p[0], p[1]]),
          )}
          fill="none"
          stroke="var(--ink)"
          stroke-width="2.4"
          stroke-dasharray="9 4" />
        <text x={f.left - 7} y={f.y(plan.reserve_frac) + 2} text-anchor="end" class="madder"
          >{Math.round(plan.reserve_frac * 100)}</text>
        {#if plan.reserve_frac - plan.floor_frac > 0.06}<text
            x={f.left - 7}
            y={f.y(plan.floor_frac) + 9}
            text-anchor="end"
            class="madder">{Math.round(plan.floor_frac * 100)}</text
          >{/if}
        <text x={f.right + 6} y={f.y(plan.reserve_frac) + 4} class="strong madder">reserve</text>
        <text x={f.right + 6} y={f.y(plan.floor_frac) + 12} class="strong madder">minimum</text>
        <text x={f.left + (turn - f.left) * 0.36} y={f.y(0.55)} text-anchor="middle" class="strong lichen halo"
          >usable for work</text>
        <text x={f.left + (turn - f.left) * 0.6} y={f.y(plan.reserve_frac + 0.025)} text-anchor="middle" class="strong tarn halo"
          >way home</text>
        <Plumb
          {f}
          at={sortie.turns_home_s}
          words="turns home {minutes(sortie.turns_home_s)}"
          down={6}
          side={turn < f.left + 130 ? 'start' : 'end'}
          width={1.3} />
        <Plumb
          {f}
          at={sortie.turn_back_s}
          tone="madder"
          words="last turn-back {minutes(sortie.turn_back_s)}"
          down={24}
          side={turn < f.left + room / 2 ? 'start' : 'end'}
          width={1.8} />
        <circle
          cx={back}
          cy={f.y(heightAt(points, sortie.turn_back_s))}
          r="4.5"
          fill="var(--sheet)"
          stroke="var(--madder)"
          stroke-width="2" />
        <circle cx={f.x(sortie.time_s)} cy={f.y(sortie.landing_frac)} r="4.5" fill="var(--ink)" />
        <text x={f.x(sortie.time_s) + 7} y={f.y(sortie.landing_frac) - 8} class="strong halo"
          >{percent(sortie.landing_frac)}</text>
        <g transform="translate(0 {H + 6})">
          <text x={f.left - 7} y="14" text-anchor="end">line</text>
          {#each merge(sortie.legs, room) as s (s.kind + s.start_s)}
            {@const w = Math.max(0, f.x(s.end_s) - f.x(s.start_s) - 1)}
            <rect
              x={f.x(s.start_s)}
              width={w}
              height="18"
              fill={s.kind === 'line'
                ? 'var(--ink)'
                : s.kind === 'home' || s.kind === 'out'
                  ? 'url(#p-home)'
                  : s.kind === 'transit'
                    ? 'var(--rule)'
                    : 'var(--wash-copper)'} />
            {#if s.label && w > s.label.length * 8}<text
                x={f.x(s.start_s) + w / 2}
                y="13.5"
                text-anchor="middle"
                class="strong"
                style="fill: {s.kind === 'line' ? 'var(--sheet)' : 'var(--tarn)'}">{s.label}</text
              >{/if}
          {/each}
          {#each ticks as t, k (t)}<text x={f.x(t)} y="34" text-anchor="middle"
              >{t / 60}{k === ticks.length - 1 ? ' min' : ''}</text
            >{/each}
        </g>
      {/snippet}
    </Chart>
  </div>
</div>
