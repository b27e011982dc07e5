<!-- The energy ribbon of one sortie: free to spend on work, way home, reserve and floor; below, the strip of lines. -->
<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import { area, line } from 'd3-shape';
  import { minutes, percent, show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import WindArrow from '$shared/ui/WindArrow.svelte';
  import type { Plan, Sortie } from './draft.svelte';

  let { plan, sortie, letter, assumed = false }: { plan: Plan; sortie: Sortie; letter: string; assumed?: boolean } = $props();
  let width = $state(640);
  const H = 132;
  const left = 40;
  const right = 62;
  const end = $derived(Math.max(sortie.time_s, sortie.turn_back_s));
  const x = $derived(scaleLinear([0, end], [left, width - right]));
  const y = scaleLinear([0, 1], [H, 10]);
  type P = [number, number, number];
  const points = $derived(sortie.ribbon as P[]);
  const free = $derived(
    area<P>(
      (p) => x(p[0]),
      (p) => y(Math.max(p[1], p[2])),
      (p) => y(p[2]),
    )(points) ?? '',
  );
  const home = $derived(
    area<P>(
      (p) => x(p[0]),
      (p) => y(p[2]),
      () => y(plan.reserve_frac),
    )(points) ?? '',
  );
  const leftover = $derived(
    line<P>(
      (p) => x(p[0]),
      (p) => y(p[1]),
    )(points) ?? '',
  );
  const need = $derived(
    line<P>(
      (p) => x(p[0]),
      (p) => y(p[2]),
    )(points) ?? '',
  );
  const ticks = $derived(x.ticks(Math.min(8, Math.max(3, Math.floor(end / 180)))).length ? everyMinutes(end) : []);
  const turnsLeft = $derived(x(sortie.turns_home_s) < width / 2);
  const strips = $derived(merge(sortie.legs));

  function leftAt(t: number): number {
    const k = points.findIndex((p) => p[0] >= t);
    if (k <= 0) return points.at(k)![1];
    const [a, b] = [points[k - 1]!, points[k]!];
    return a[1] + ((b[1] - a[1]) * (t - a[0])) / Math.max(1e-9, b[0] - a[0]);
  }

  function everyMinutes(total: number): number[] {
    const step = total > 2400 ? 600 : total > 900 ? 300 : total > 300 ? 120 : 60;
    return Array.from({ length: Math.floor(total / step) + 1 }, (_, k) => k * step);
  }

  function merge(legs: Sortie['legs']) {
    const wide = legs.filter((l) => l.kind === 'line').length * 22 > width - left - right;
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
  <div bind:clientWidth={width}></div>
  <h2>
    What is left {sortie.set || plan.pack.name
      ? `in ${(sortie.set || plan.pack.name).includes('+') ? 'packs' : 'pack'} ${sortie.set || plan.pack.name} `
      : ''}along {letter}{sortie.number}
    <span class="quiet ml-2 text-[13px] font-normal">{minutes(sortie.spare_s)} to spare</span>
    <span class="ml-3 inline-block whitespace-nowrap text-[13px] font-normal" data-testid="planned-wind"
      ><WindArrow from={plan.air.from_deg} size={18} />
      {show(plan.air.wind_m_s, 'm_s', session.units)}{assumed ? ', assumed' : ''}</span>
  </h2>
  <svg
    {width}
    height={H + 46}
    class="mt-2 block"
    role="img"
    aria-label="Energy along sortie {letter}{sortie.number}: lands with {percent(sortie.landing_frac)}, reserve {percent(
      plan.reserve_frac,
    )}, last turn-back at {minutes(sortie.turn_back_s)}">
    <rect x={left} y={4} width={width - left - right} height={H - 4} fill="var(--sheet)" />
    <rect
      x={left}
      y={y(plan.reserve_frac)}
      width={width - left - right}
      height={H - y(plan.reserve_frac)}
      fill="url(#p-grounded)"
      opacity=".75" />
    <path d={free} fill="var(--wash-lichen)" />
    <path d={home} fill="url(#p-home)" />
    <path d={need} fill="none" stroke="var(--tarn)" stroke-width="1.4" stroke-dasharray="6 4" />
    <path d="M{left} {y(plan.reserve_frac)}H{width - right}" stroke="var(--madder)" stroke-width="1.8" />
    <path d="M{left} {y(plan.floor_frac)}H{width - right}" stroke="var(--madder)" stroke-dasharray="4 3" />
    <path d={leftover} fill="none" stroke="var(--ink)" stroke-width="2.4" stroke-dasharray="9 4" />
    {#each [1, 0.5] as v (v)}<text x={left - 8} y={y(v) + 4} text-anchor="end">{v * 100}</text>{/each}
    <text x={left - 8} y={y(plan.reserve_frac) + 2} text-anchor="end" class="madder">{Math.round(plan.reserve_frac * 100)}</text>
    {#if plan.reserve_frac - plan.floor_frac > 0.06}<text x={left - 8} y={y(plan.floor_frac) + 9} text-anchor="end" class="madder"
        >{Math.round(plan.floor_frac * 100)}</text
      >{/if}
    <text x={left - 8} y={H} text-anchor="end">0 %</text>
    <text x={width - right + 6} y={y(plan.reserve_frac) + 4} class="madder bold">reserve</text>
    <text x={width - right + 6} y={y(plan.floor_frac) + 12} class="madder bold">floor</text>
    <text x={left + (x(sortie.turns_home_s) - left) * 0.36} y={y(0.55)} text-anchor="middle" class="lichen bold halo"
      >free to spend on work</text>
    <text
      x={left + (x(sortie.turns_home_s) - left) * 0.6}
      y={y(plan.reserve_frac + 0.025)}
      text-anchor="middle"
      class="tarn bold halo">way home</text>
    <g>
      <path d="M{x(sortie.turns_home_s)} 14V{H}" stroke="var(--ink)" stroke-width="1.3" />
      <text x={x(sortie.turns_home_s) - 6} y="16" text-anchor="end" class="bold halo"
        >turns home {minutes(sortie.turns_home_s)}</text>
      <path d="M{x(sortie.turn_back_s)} 4V{H}" stroke="var(--madder)" stroke-width="1.8" />
      <circle
        cx={x(sortie.turn_back_s)}
        cy={y(leftAt(sortie.turn_back_s))}
        r="4.5"
        fill="var(--sheet)"
        stroke="var(--madder)"
        stroke-width="2" />
      <text
        x={x(sortie.turn_back_s) + (turnsLeft ? 6 : -6)}
        y="34"
        text-anchor={turnsLeft ? 'start' : 'end'}
        class="madder bold halo">last turn-back {minutes(sortie.turn_back_s)}</text>
      <circle cx={x(sortie.time_s)} cy={y(sortie.landing_frac)} r="4.5" fill="var(--ink)" />
      <text x={x(sortie.time_s) + 7} y={y(sortie.landing_frac) - 8} class="bold halo">{percent(sortie.landing_frac)}</text>
    </g>
    <g transform="translate(0 {H + 6})">
      <text x={left - 8} y="14" text-anchor="end">line</text>
      {#each strips as s (s.kind + s.start_s)}
        {@const w = Math.max(0, x(s.end_s) - x(s.start_s) - 1)}
        <rect
          x={x(s.start_s)}
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
            x={x(s.start_s) + w / 2}
            y="13.5"
            text-anchor="middle"
            class="bold"
            fill={s.kind === 'line' ? 'var(--sheet)' : 'var(--tarn)'}
            style="fill: {s.kind === 'line' ? 'var(--sheet)' : 'var(--tarn)'}">{s.label}</text
          >{/if}
      {/each}
      {#each ticks as t, k (t)}<text x={x(t)} y="34" text-anchor="middle">{t / 60}{k === ticks.length - 1 ? ' min' : ''}</text
        >{/each}
    </g>
  </svg>
</div>

<style>
  text {
    fill: var(--ink-2);
    font-size: 12.5px;
  }
  .bold {
    fill: var(--ink);
    font-weight: 600;
  }
  .madder {
    fill: var(--madder);
  }
  .lichen {
    fill: var(--lichen);
  }
  .tarn {
    fill: var(--tarn);
  }
  .halo {
    paint-order: stroke;
    stroke: var(--map-halo);
    stroke-width: 4px;
  }
</style>
