<script lang="ts">
  import { hours, minutes, percent, show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import Why from '$shared/working/Why.svelte';
  import type { JobDraft, Plan } from '../state/draft.svelte';
  import { lookOf } from '../state/look';
  import LinesFlown from './LinesFlown.svelte';
  import Remainder from './Remainder.svelte';

  let { draft, plan }: { draft: JobDraft; plan: Plan } = $props();
  const letter = $derived(draft.job!.letter);
  const keep = $derived(draft.job!.sorties.keep_spare_s);
  const count = ['No', 'One', 'Two', 'Three', 'Four', 'Five', 'Six', 'Seven', 'Eight', 'Nine', 'Ten', 'Eleven', 'Twelve'];
  const n = $derived(plan.sorties.length);

  const place = (p: number[]) => `${p[1]!.toFixed(5)}°, ${p[0]!.toFixed(5)}°`;

  function step(e: KeyboardEvent, by: number) {
    e.preventDefault();
    draft.selected = Math.min(n, Math.max(1, draft.selected + by));
    requestAnimationFrame(() =>
      (e.currentTarget as HTMLElement | null)?.closest('table')?.querySelector<HTMLElement>('[aria-current] button')?.focus(),
    );
  }
</script>

<h2 class="mt-3 flex items-baseline justify-between">
  <span>{count[n] ?? n} sortie{n === 1 ? '' : 's'}</span>
  <span><Why text={hours(plan.total_s)} name="time in the air" of="jobs" id={draft.job!.id} key="total_s" /></span>
</h2>
<table class="mt-1 w-full border-collapse" data-testid="sorties">
  <thead>
    <tr class="quiet text-note">
      <th class="py-1 text-left font-normal">sortie</th><th></th><th class="text-left font-normal">pack</th><th
        class="text-right font-normal">min</th
      ><th class="text-right font-normal">to spare</th>
    </tr>
  </thead>
  <tbody>
    {#each plan.sorties as s (s.number)}
      {@const look = lookOf(s.number)}
      {@const chosen = s.number === draft.selected}
      <tr
        class="border-b border-rule {chosen ? 'bg-ink text-sheet' : ''}"
        aria-current={chosen ? 'true' : undefined}
        onclick={() => (draft.selected = s.number)}>
        <td class="pl-2">
          <button
            class="sharp min-h-[max(30px,calc(var(--target)-6px))] w-full text-left"
            onclick={() => (draft.selected = s.number)}
            onkeydown={(e) => {
              if (e.key === 'ArrowDown') step(e, 1);
              if (e.key === 'ArrowUp') step(e, -1);
            }}>{letter}{s.number}</button>
        </td>
        <td>
          <svg width="34" height="8" aria-hidden="true"
            ><path
              d="M0 4h34"
              stroke={chosen && look.token === '--ink' ? 'var(--sheet)' : chosen ? 'var(--sheet)' : `var(${look.token})`}
              stroke-width={look.width + 0.6}
              stroke-dasharray={look.dash.join(' ')} /></svg>
        </td>
        <td class="whitespace-nowrap text-left">{s.set || 'any'}</td>
        <td class="text-right">{minutes(s.time_s)}</td>
        <td class="pr-2 text-right {s.spare_s < keep + 30 && !chosen ? 'text-madder' : ''}">
          <Why
            text={minutes(s.spare_s)}
            name="time to spare on {letter}{s.number}"
            of="jobs"
            id={draft.job!.id}
            key="spare_{s.number}" />
        </td>
      </tr>
    {/each}
  </tbody>
</table>
{#if draft.sortie}
  {@const s = draft.sortie}
  <p class="mt-2 text-small">
    <b>{letter}{s.number}</b> enters at {place(s.entry)} on line {(s.lines[0] ?? 0) + 1}, leaves for home after
    {minutes(s.turns_home_s)} from {place(s.leave)}{s.bound_by === 'tank' ? ', tank empty' : ''}. Way home
    {minutes(s.home_s)}; turn back by <Why
      text={minutes(s.turn_back_s)}
      name="last turn-back of {letter}{s.number}"
      of="jobs"
      id={draft.job!.id}
      key="back_{s.number}" /> at the latest.
    {#if s.fallback}{s.fallback.always ? 'Fallback' : 'No fallback everywhere:'}
      {s.fallback.name}{s.fallback.always ? ' is in reach from all of it.' : ' is out of reach from some of it.'}{/if}
  </p>
{/if}
<p class="mt-2 text-small">
  Farthest point {show(plan.farthest_m, 'm', session.units)} from home; safe return radius {show(
    plan.radius_m,
    'm',
    session.units,
  )}.
  {#if plan.cold_rings?.length}<b data-testid="cold-rings"
      >In this cold: {plan.cold_rings.map(([z, m]) => `within ${show(m, 'm', session.units)} at ${percent(z)}`).join(', ')}.</b
    >{/if}
  {#if plan.pack.assumed}Planned for a new pack, none of this kind is in the fleet:{:else if plan.cut_for === 'each'}Sorties are
    sized per pack; the weakest, {plan.pack.name}, gives{:else}Planned for the weakest pack that may fly, {plan.pack.name}:{/if}
  <Why text="{minutes(plan.usable_s)} min" name="flight time of one set" of="jobs" id={draft.job!.id} key="endurance" /> at
  <Why text="{Math.round(plan.powers.work_w)} W" name="power on the lines" of="jobs" id={draft.job!.id} key="power_w" />.
  {#if plan.warm_up_s}Hover {Math.round(plan.warm_up_s)} s before work: cold air.{/if}
</p>
{#if plan.lines?.length}<LinesFlown lines={plan.lines} passes={plan.passes} />{/if}
<Remainder {draft} />
<details class="mt-1 text-small">
  <summary class="inline-flex min-h-touch cursor-pointer items-center font-semibold">What each pack gives today</summary>
  <table class="w-full border-collapse" data-testid="gives">
    <thead
      ><tr class="quiet text-note"
        ><th class="text-left font-normal">pack</th><th class="text-right font-normal">min</th><th class="text-right font-normal"
          >of its energy</th
        ><th class="text-right font-normal">lowest cell</th></tr
      ></thead>
    <tbody>
      {#each plan.usable as g (g.name)}
        <tr class="border-b border-rule">
          <td><b>{g.name || 'new'}</b></td><td class="text-right">{minutes(g.usable_s)}</td><td class="text-right"
            >{percent(g.cold_frac)}{g.bound_by === 'floor' ? ', floor' : g.bound_by === 'halved' ? ', halved' : ''}</td
          ><td class="text-right {g.dip_v < g.floor_v + 0.15 ? 'text-madder' : ''}">{g.dip_v.toFixed(2)} V</td>
        </tr>
      {/each}
    </tbody>
  </table>
  <p class="quiet m-0">
    Lowest cell: under full climb, early on; floor {plan.usable[0]?.floor_v.toFixed(2)} V. Cold by {plan.usable[0]?.method ===
    'halve'
      ? 'halving'
      : 'the thermal model'}.
  </p>
  {#each Object.entries(plan.sets_out) as [name, why] (name)}<p class="problem m-0">{name} left out: {why}</p>{/each}
</details>
