<!-- Bottlenecks: one more of each thing, zeros as plainly as gains, and the grid of packs and ports. -->
<script lang="ts">
  import { clock, hours } from '$shared/format/units';
  import Why from '$shared/working/Why.svelte';
  import type { Day, DayPlan } from '../state/day.svelte';

  const UNSURE_S = 90;
  let { day, plan }: { day: Day; plan: DayPlan } = $props();
  let less = $state(false);
  let all = $state(false);
  const found = $derived((plan.levers ?? []).filter((l) => (less ? l.by < 0 : l.by > 0)));
  const levers = $derived(all ? found : found.slice(0, 6));
  const most = $derived(Math.max(60, ...levers.map((l) => Math.abs(l.saves_s ?? 0))));
  const grid = $derived(plan.grid);
  // While a better plan is searched for, what one more would do is a first guess: how good is not known yet.
  const settled = $derived(!['first', 'queued', 'searching'].includes(plan.state));
  const unsure = (l: (typeof found)[number]) =>
    settled && l.saves_s !== null && l.most_s != null && l.most_s - l.saves_s >= UNSURE_S;
  function effect(s: number | null): string {
    if (s === null) return 'not flown';
    if (Math.abs(s) < 30) return 'nothing';
    return s > 0 ? `−${hours(s)}` : `+${hours(-s)}`;
  }
</script>

{#if plan.levers === null}<p class="quiet mt-1 text-small" role="status">Being worked out in the background …</p>
{:else}
  <div class="mt-1 flex gap-2" role="group" aria-label="Direction">
    <button class="button small text-small" aria-pressed={!less} onclick={() => (less = false)}>one more</button>
    <button class="button small text-small" aria-pressed={less} onclick={() => (less = true)}>one less</button>
  </div>
  <ul class="m-0 mt-1.5 list-none p-0" data-testid="levers">
    {#each levers as l (l.words)}
      <li class="border-b border-rule py-1 text-small" title={l.why_not}>
        <div class="flex justify-between gap-2">
          <span>{l.words}</span><b class="whitespace-nowrap {l.saves_s === null || l.saves_s < -30 ? 'text-madder' : ''}"
            >{effect(l.saves_s)}</b>
        </div>
        {#if l.saves_s !== null && Math.abs(l.saves_s) >= 30}<span
            class="block h-1.5 {l.saves_s > 0 ? 'bg-lichen' : 'bg-madder'}"
            style="width: {(100 * Math.abs(l.saves_s)) / most}%"></span
          >{:else if l.why_not}<span class="quiet block">{l.why_not}</span>{/if}
        {#if unsure(l)}<span class="quiet block">{effect(l.most_s!)} at best</span>{/if}
      </li>
    {:else}<li class="quiet py-1 text-small">Nothing that could change.</li>{/each}
  </ul>
  {#if levers.some(unsure)}<p class="quiet m-0 mt-1 text-small">At best: the search ended before more could be ruled out.</p>{/if}
  {#if found.length > 6}<button class="button plain -ml-3 small text-small" aria-expanded={all} onclick={() => (all = !all)}
      >{all ? 'fewer' : `${found.length - 6} more`}</button
    >{/if}
  {#each plan.enough as e, k (e.name)}
    <p class="m-0 mt-2 text-small">
      {e.name}: nobody waits with <Why
        text="{e.sets_needed} set{e.sets_needed === 1 ? '' : 's'}"
        name="sets so that nobody waits"
        of="days"
        id={day.id}
        key="enough_{k}" /> and {e.ports_needed} port{e.ports_needed === 1 ? '' : 's'}; the day has {e.sets} and {e.ports}.
    </p>
  {/each}
  {#if plan.worth_s !== null && plan.worth_s > 30}<p class="m-0 mt-1 text-small">
      Planning saves <b>{hours(plan.worth_s)}</b> against first come, first charged.
    </p>{/if}
  {#if grid}
    <details class="mt-2 text-small">
      <summary class="flex min-h-touch-small cursor-pointer items-center font-semibold"
        >Packs × ports → last landing, {grid.name}</summary>
      <table class="mt-1 w-full table-fixed text-right tabular-nums" data-testid="grid">
        <thead
          ><tr
            ><th class="w-[42%] text-left font-normal">sets ↓ ports →</th>{#each grid.ports as p (p)}<th class="px-1">{p}</th
              >{/each}</tr
          ></thead>
        <tbody>
          {#each grid.sets as s, i (s)}
            <tr
              ><th class="text-left">{s}</th>{#each grid.ports as p, j (p)}
                {@const v = grid.finish_s[i]![j]}
                <td class="px-1 {s === grid.here[0] && p === grid.here[1] ? 'bg-ink font-bold text-sheet' : ''}"
                  >{v == null ? '–' : clock(day, v)}</td
                >{/each}</tr>
          {/each}
        </tbody>
      </table>
      <p class="quiet m-0 mt-1">By the quick planner; –: it found no schedule in the hours.</p>
    </details>
  {/if}
{/if}
