<!-- The confidence in the last landing: its distribution over many days, half and nine in ten marked, and what made late days late. -->
<script lang="ts">
  import Chart from '$shared/chart/Chart.svelte';
  import { clock, percent } from '$shared/format/units';
  import Why from '$shared/working/Why.svelte';
  import type { Day, DayPlan } from '../state/day.svelte';

  let { day, plan }: { day: Day; plan: DayPlan } = $props();
  const chance = $derived(plan.chance!);
  const curve = $derived(chance.by_time as [number, number][]);
  // How many days land in each step: the slope of the curve.
  const bars = $derived(curve.slice(1).map((p, k) => ({ a: curve[k]![0], b: p[0], share: p[1] - curve[k]![1] })));
  const most = $derived(Math.max(...bars.map((b) => b.share), 1e-6));
  const closes = $derived((plan.windows as [number, number][]).at(-1)?.[1] ?? null);
  const days = (count: number) => `${count} flown ${count === 1 ? 'day' : 'days'}`;
  const WHAT: Record<string, string> = { pack: 'pack', port: 'port', aircraft: '' };
</script>

<Chart
  label="Last landing over {chance.days} days: half by {clock(day, chance.p50_s)}, nine in ten by {clock(day, chance.p90_s)}"
  height={96}
  least={160}
  x={[curve[0]![0], curve.at(-1)![0]]}
  y={[0, most]}
  margins={{ left: 2, right: 2, top: 6, bottom: 34 }}
  xTicks={null}
  yTicks={null}>
  {#snippet children(f)}
    {#each bars as b (b.a)}
      <rect
        x={f.x(b.a)}
        y={f.y(b.share)}
        width={Math.max(1, f.x(b.b) - f.x(b.a) - 0.6)}
        height={f.floor - f.y(b.share)}
        fill={b.b <= chance.p90_s ? 'var(--tarn)' : 'url(#p-waiting)'} />
    {/each}
    {#each [{ at: chance.p50_s, words: 'half' }, { at: chance.p90_s, words: '9 in 10' }] as m (m.words)}
      <path d="M{f.x(m.at)} 4V{f.floor + 4}" stroke="var(--ink)" stroke-width="1.6" />
      <text x={f.x(m.at)} y={f.floor + 17} text-anchor="middle" class="strong">{clock(day, m.at)}</text>
      <text x={f.x(m.at)} y={f.floor + 31} text-anchor="middle">{m.words}</text>
    {/each}
  {/snippet}
</Chart>
<p class="m-0 mt-1 text-small">
  Nine days in ten end by <Why
    text={clock(day, chance.p90_s)}
    name="nine days in ten end by"
    of="days"
    id={day.id}
    key="chance"
    clock={(s) => clock(day, s)} />.{#if closes !== null && chance.in_hours_frac < 0.995}
    <b class="text-copper">{percent(1 - chance.in_hours_frac)} run past {clock(day, closes)}.</b>{/if}
</p>
<p class="quiet m-0 mt-1 text-small">
  {#if chance.learned_from}Times scatter as on your {days(chance.learned_from)}.{:else}How times scatter is assumed: no flown day
    of yours tells it yet.{/if}
  {#if chance.promised}“9&nbsp;in&nbsp;10” was kept on {chance.kept_nine} of {chance.promised}, “half” on {chance.kept_half} of {chance.promised}.{/if}
</p>
{#if chance.risks.length}
  <p class="quiet m-0 mt-1 text-small">
    Late days waited for
    {#each chance.risks.slice(0, 3) as r, k (r.what + r.name)}{k ? ', ' : ''}{WHAT[r.what]}
      <b class="text-ink">{r.name}</b> ({percent(r.share_frac)}){/each}.
  </p>
{/if}
