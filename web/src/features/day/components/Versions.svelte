<!-- The kept plans of a day: who, when, why, what has changed since; two of them, or another day, side by side. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import { dayAndClock, clock, hours } from '$shared/format/units';
  import { allDays } from '$shared/lists';
  import { Resource, resource } from '$shared/resource.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import type { Day, DayPlan } from '../state/day.svelte';
  import Section from './Section.svelte';

  let { day, plan }: { day: Day; plan: DayPlan } = $props();
  const versions = new Resource(() => call('GET', '/api/days/{day_id}/plans', { params: { path: { day_id: day.id } } }));
  const others = resource(allDays);
  const rows = $derived(versions.value);
  const days = $derived((others.value ?? []).filter((d) => d.id !== day.id));
  let other = $state.raw<{ plan: DayPlan; day: Day; name: string } | null>(null);
  let failed = $state('');
  let none = $state('');
  $effect(() => {
    void plan.number;
    void versions.load();
  });
  async function beside(number: number) {
    const { data, problem } = await call('GET', '/api/days/{day_id}/plans/{number}', {
      params: { path: { day_id: day.id, number } },
    });
    failed = problem?.detail ?? '';
    if (data) other = { plan: data, day, name: `plan ${number}` };
  }
  async function besideDay(id: string) {
    if (!id) return;
    const { data, problem } = await call('GET', '/api/days/{day_id}', { params: { path: { day_id: id } } });
    failed = problem?.detail ?? data?.problem?.detail ?? '';
    if (data?.plan) other = { plan: data.plan, day: data.day, name: data.day.name };
  }
  const made = (t: string) => dayAndClock(t);
  const waits = (p: DayPlan) => p.waits.filter((w) => w.reason === 'pack').reduce((s, w) => s + w.to_s - w.from_s, 0);
  const fast = (p: DayPlan) => p.calls.filter((c) => c.kind === 'on_port').length;
  const peak = (p: DayPlan) => Math.max(0, ...(p.load as [number, number][]).map((l) => l[1]));
  const figures = $derived(
    other
      ? [
          ['last landing', clock(day, plan.finish_s), clock(other.day, other.plan.finish_s)],
          [
            'nine in ten by',
            plan.chance ? clock(day, plan.chance.p90_s) : '–',
            other.plan.chance ? clock(other.day, other.plan.chance.p90_s) : '–',
          ],
          ['sorties', `${plan.flights.length}`, `${other.plan.flights.length}`],
          ['waits for packs', hours(waits(plan)), hours(waits(other.plan))],
          ['packs in the day', `${plan.packs.length}`, `${other.plan.packs.length}`],
          ['charges', `${fast(plan)}`, `${fast(other.plan)}`],
          ['peak load', `${(peak(plan) / 1000).toFixed(2)} kW`, `${(peak(other.plan) / 1000).toFixed(2)} kW`],
          [
            'fuel',
            plan.supply.each.map((s) => (s.litres ? `${s.litres.toFixed(1)} l` : '–')).join(', ') || '–',
            other.plan.supply.each.map((s) => (s.litres ? `${s.litres.toFixed(1)} l` : '–')).join(', ') || '–',
          ],
        ]
      : [],
  );
</script>

<section aria-label="Plans of this day" data-testid="versions">
  <Failed of={[versions, others]} />
  {#if failed}<p class="problem" role="alert">{failed}</p>{/if}
  {#if rows === null}<p class="quiet" role="status">Looking through the plans …</p>
  {:else}
    <table class="sheet-table bg-sheet text-small">
      <thead
        ><tr
          ><th>plan</th><th>made</th><th>ends</th><th>made anew because</th><th>changed since</th><th
            ><span class="sr-only">compare</span></th
          ></tr
        ></thead>
      <tbody>
        {#each rows as r (r.number)}
          <tr
            ><td class="font-semibold">{r.number}</td><td>{made(r.made_at)}{r.by ? `, ${r.by}` : ''}</td><td
              >{clock(day, r.finish_s)}</td
            ><td>{r.why.join('; ') || 'first plan'}</td><td class={r.stale.length ? 'text-copper' : ''}
              >{r.stale.length ? `! ${r.stale.join('; ')}` : r.number === plan.number ? 'this is it' : 'nothing'}</td
            ><td
              >{#if r.number !== plan.number}<button class="button" onclick={() => beside(r.number)}>Side by side</button
                >{/if}</td
            ></tr>
        {:else}<tr><td colspan="6" class="quiet">No plan is kept yet.</td></tr>{/each}
      </tbody>
    </table>
    <label class="mt-2 flex items-center gap-2 text-small"
      >or beside another day <select class="input !w-auto" onchange={(e) => besideDay(e.currentTarget.value)}>
        <option value="">choose</option>
        {#each days as d (d.id)}<option value={d.id}>{d.name}, {d.date}</option>{/each}
      </select></label>
  {/if}
  {#if other}
    <div class="mt-4" data-testid="compare">
      <table class="sheet-table bg-sheet text-small">
        <thead><tr><th></th><th>now, plan {plan.number}</th><th>{other.name}</th></tr></thead>
        <tbody>
          {#each figures as [name, a, b] (name)}<tr
              ><td>{name}</td><td class={a === b ? '' : 'font-semibold'}>{a}</td><td class={a === b ? '' : 'font-semibold'}
                >{b}</td
              ></tr
            >{/each}
        </tbody>
      </table>
      <h2 class="mt-3">Now</h2>
      <Section {day} {plan} bind:chosen={none} quiet />
      <h2 class="mt-3">{other.name}</h2>
      <Section day={other.day} plan={other.plan} bind:chosen={none} quiet />
    </div>
  {/if}
</section>
