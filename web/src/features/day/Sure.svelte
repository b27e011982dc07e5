<!-- How sure the last landing is: its distribution over many days, half and nine in ten marked, and what made late days late. -->
<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import { clock, percent } from '$shared/format/units';
  import Why from '$shared/working/Why.svelte';
  import type { Day, DayPlan } from './day.svelte';

  let { day, plan }: { day: Day; plan: DayPlan } = $props();
  const H = 62;
  let width = $state(256);
  const chance = $derived(plan.chance!);
  const curve = $derived(chance.by_time as [number, number][]);
  const x = $derived(scaleLinear([curve[0]![0], curve.at(-1)![0]], [2, width - 2]));
  // How many days land in each step: the slope of the curve.
  const bars = $derived(curve.slice(1).map((p, k) => ({ a: curve[k]![0], b: p[0], share: p[1] - curve[k]![1] })));
  const most = $derived(Math.max(...bars.map((b) => b.share), 1e-6));
  const closes = $derived((plan.windows as [number, number][]).at(-1)?.[1] ?? null);
  const WHAT: Record<string, string> = { pack: 'pack', port: 'port', aircraft: '' };
</script>

<div bind:clientWidth={width}></div>
<svg
  {width}
  height={H + 34}
  role="img"
  aria-label="Last landing over {chance.days} days: half by {clock(day.opens, chance.p50_s)}, nine in ten by {clock(
    day.opens,
    chance.p90_s,
  )}">
  {#each bars as b (b.a)}
    <rect
      x={x(b.a)}
      y={H - (b.share / most) * (H - 6)}
      width={Math.max(1, x(b.b) - x(b.a) - 0.6)}
      height={(b.share / most) * (H - 6)}
      fill={b.b <= chance.p90_s ? 'var(--tarn)' : 'url(#p-waiting)'} />
  {/each}
  <path d="M0 {H}H{width}" stroke="var(--ink)" />
  {#each [{ at: chance.p50_s, words: 'half' }, { at: chance.p90_s, words: '9 in 10' }] as m (m.words)}
    <path d="M{x(m.at)} 4V{H + 4}" stroke="var(--ink)" stroke-width="1.6" />
    <text x={x(m.at)} y={H + 17} text-anchor="middle">{clock(day.opens, m.at)}</text>
    <text x={x(m.at)} y={H + 31} text-anchor="middle" class="soft">{m.words}</text>
  {/each}
</svg>
<p class="m-0 mt-1 text-[13px]">
  Nine days in ten end by <Why
    text={clock(day.opens, chance.p90_s)}
    name="nine days in ten end by"
    of="days"
    id={day.id}
    key="chance"
    clock={(s) => clock(day.opens, s)} />.{#if closes !== null && chance.in_hours_frac < 0.995}
    <b class="text-copper">{percent(1 - chance.in_hours_frac)} run past {clock(day.opens, closes)}.</b>{/if}
</p>
{#if chance.risks.length}
  <p class="quiet m-0 mt-1 text-[13px]">
    Late days waited for
    {#each chance.risks.slice(0, 3) as r, k (r.what + r.name)}{k ? ', ' : ''}{WHAT[r.what]}
      <b class="text-ink">{r.name}</b> ({percent(r.share_frac)}){/each}.
  </p>
{/if}

<style>
  text {
    fill: var(--ink);
    font-size: 13px;
    font-weight: 600;
  }
  .soft {
    fill: var(--ink-2);
    font-weight: 400;
    font-size: 12px;
  }
</style>
