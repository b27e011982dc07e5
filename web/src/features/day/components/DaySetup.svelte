<!-- Day settings: hours, jobs in order, packs with their charge, chargers, supply, rests, crew. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';
  import { session } from '$shared/session.svelte';
  import { overMidnight } from '$shared/format/units';
  import Choice from '$shared/ui/Choice.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import type { DayState } from '../state/day.svelte';
  import Crews from './Crews.svelte';

  interface Props {
    planner: DayState;
    fleet: Schemas['FleetOut'] | null;
    jobs: Schemas['JobLine'][];
    people: Schemas['PersonOut'][];
    writable: boolean;
  }
  let { planner, fleet, jobs, people, writable }: Props = $props();
  const day = $derived(planner.day!);
  const off = $derived(!writable);
  const zones = Intl.supportedValuesOf('timeZone');
  const jobOf = (id: string) => jobs.find((j) => j.id === id);
  const free = $derived(jobs.filter((j) => !day.jobs.some((d) => d.job_id === j.id)));
  const minutesOf = (key: 'swap_s' | 'rest_after_flight_s' | 'rest_after_charge_s') => day[key];

  const more = $derived(day.more_supply_ids ?? []);
  const methods = $derived(day.methods);
  const method = (part: Partial<Schemas['MethodsIO']>) => void planner.change({ methods: { ...methods, ...part } });

  function drop(text: string, part: { jobs: typeof day.jobs } | { pauses: typeof day.pauses }) {
    const before = 'jobs' in part ? { jobs: day.jobs } : { pauses: day.pauses };
    void planner.change(part);
    notices.say(text, { undo: () => void planner.change(before) });
  }
  function move(k: number, by: number) {
    const list = [...day.jobs];
    const [item] = list.splice(k, 1);
    list.splice(k + by, 0, item!);
    void planner.change({ jobs: list });
  }
  function togglePack(id: string, frac: number) {
    const has = day.packs.some((p) => p.pack_id === id);
    void planner.change({
      packs: has ? day.packs.filter((p) => p.pack_id !== id) : [...day.packs, { pack_id: id, start_frac: frac }],
    });
  }
  // What no aircraft of the day flies is folded away, unless it was chosen.
  const kinds = $derived(
    new Set(
      day.jobs.map((d) => {
        const craft = fleet?.aircraft.find((a) => a.id === d.aircraft_id)?.model_id;
        return fleet?.aircraft_models.find((m) => m.id === craft)?.pack_model_id;
      }),
    ),
  );
  const chosen = $derived(new Set(day.packs.map((p) => p.pack_id)));
  const near = $derived(
    (fleet?.packs ?? []).filter((p) => !kinds.size || kinds.has(undefined) || kinds.has(p.model_id) || chosen.has(p.id)),
  );
  const others = $derived((fleet?.packs ?? []).filter((p) => !near.includes(p)));
  const flown = $derived(
    (fleet?.aircraft ?? []).filter((a) => day.jobs.some((j) => j.aircraft_id === a.id)).map(({ id, name }) => ({ id, name })),
  );
  const toggle = (list: string[], id: string) => (list.includes(id) ? list.filter((x) => x !== id) : [...list, id]);
</script>

{#snippet packRow(p: Schemas['FleetOut']['packs'][number])}
  {@const mine = day.packs.find((x) => x.pack_id === p.id)}
  <div class="grid grid-cols-[1fr_112px] items-center border-b border-rule py-1">
    <label class="flex min-h-touch items-center gap-2"
      ><input
        type="checkbox"
        class="size-4"
        disabled={off}
        checked={!!mine}
        onchange={() => togglePack(p.id, p.charge_frac)} /><span class="sharp text-lead">{p.name}</span><span
        class="quiet truncate text-small"
        >{p.grounded ? 'grounded' : fleet?.pack_models.find((m) => m.id === p.model_id)?.name}{p.mates
          ? ` · pair ${p.mates}`
          : ''}</span
      ></label>
    {#if mine && !p.grounded}
      <div class="relative">
        <input
          class="input pr-8 text-right"
          aria-label="Charge of pack {p.name} in percent"
          inputmode="numeric"
          disabled={off}
          value={Math.round(mine.start_frac * 100)}
          onchange={(e) => {
            const n = Number(e.currentTarget.value);
            if (Number.isFinite(n))
              void planner.change({
                packs: day.packs.map((x) => (x.pack_id === p.id ? { ...x, start_frac: n / 100 } : x)),
              });
          }} />
        <span class="quiet absolute right-2.5 top-1/2 -translate-y-1/2">%</span>
      </div>
    {/if}
  </div>
{/snippet}

<div class="grid grid-cols-[1.1fr_1fr_1fr] gap-8 max-narrow:grid-cols-2 max-phone:grid-cols-1">
  <section class="flex flex-col gap-3">
    <h2>Hours</h2>
    <TextField
      label="Name"
      value={day.name}
      disabled={off}
      onchange={(v) => v.trim() && planner.change({ name: v.trim() })}
      problem={planner.problemAt('name')} />
    <TextField
      label="Date"
      type="date"
      value={day.date}
      disabled={off}
      onchange={(v) => v && planner.change({ date: v })}
      problem={planner.problemAt('date')} />
    <div class="grid grid-cols-2 gap-3">
      <TextField
        label="Start"
        type="time"
        value={day.opens}
        disabled={off}
        onchange={(v) => v && planner.change({ opens: v })}
        problem={planner.problemAt('opens')} />
      <TextField
        label="End"
        type="time"
        value={day.closes}
        disabled={off}
        onchange={(v) => v && planner.change({ closes: v })}
        problem={planner.problemAt('closes', 'windows')} />
    </div>
    {#if overMidnight(day)}<p class="quiet m-0 -mt-2 text-small">It ends on the next date.</p>{/if}
    <Choice
      label="Time zone of the site"
      value={day.time_zone}
      options={zones.map((z) => ({ value: z, label: z }))}
      disabled={off}
      onchange={(v) => planner.change({ time_zone: v })}
      stacked
      problem={planner.problemAt('time_zone')} />
    <div>
      <div class="mb-1 flex items-center justify-between">
        <span>Breaks</span><button
          class="button"
          disabled={off}
          onclick={() => planner.change({ pauses: [...day.pauses, { from: '12:30', to: '13:00' }] })}>Add a break</button>
      </div>
      {#each day.pauses as p, k (k)}
        <div class="mb-1 flex items-center gap-2">
          <input
            class="input"
            type="time"
            aria-label="Break from"
            value={p.from}
            disabled={off}
            onchange={(e) =>
              planner.change({
                pauses: day.pauses.map((x, i) => (i === k ? { ...x, from: e.currentTarget.value } : x)),
              })} />
          <span>to</span>
          <input
            class="input"
            type="time"
            aria-label="Break to"
            value={p.to}
            disabled={off}
            onchange={(e) =>
              planner.change({
                pauses: day.pauses.map((x, i) => (i === k ? { ...x, to: e.currentTarget.value } : x)),
              })} />
          <button
            class="button plain"
            aria-label="Delete this break"
            disabled={off}
            onclick={() => drop('Break deleted', { pauses: day.pauses.filter((_, i) => i !== k) })}>×</button>
        </div>
        {#if planner.problemAt(`pauses.${k}`)}<p class="problem text-small">
            {planner.problemAt(`pauses.${k}`)}
          </p>{/if}
      {:else}<p class="quiet text-small">None. Crews work better with one.</p>{/each}
    </div>
    <NumberField
      label="Swap of packs"
      unit="min"
      scale={1 / 60}
      value={minutesOf('swap_s')}
      disabled={off}
      onchange={(v) => planner.change({ swap_s: v })}
      problem={planner.problemAt('swap_s')} />
    <NumberField
      label="Rest after flight"
      unit="min"
      scale={1 / 60}
      value={minutesOf('rest_after_flight_s')}
      disabled={off}
      onchange={(v) => planner.change({ rest_after_flight_s: v })}
      problem={planner.problemAt('rest_after_flight_s')} />
    <NumberField
      label="Rest after charge"
      unit="min"
      scale={1 / 60}
      value={minutesOf('rest_after_charge_s')}
      disabled={off}
      onchange={(v) => planner.change({ rest_after_charge_s: v })}
      problem={planner.problemAt('rest_after_charge_s')} />
    <h2 class="mt-2">How it is planned</h2>
    <Choice
      stacked
      label="Packs take off"
      value={methods.packs}
      disabled={off}
      options={[
        { value: 'full', label: 'full only' },
        { value: 'need', label: 'charged to the need' },
      ]}
      onchange={(v) => method({ packs: v as 'full' })}
      problem={planner.problemAt('methods.packs')} />
    <Choice
      stacked
      label="Charge"
      value={methods.rates}
      disabled={off}
      options={[
        { value: 'any', label: 'gently where nobody waits' },
        { value: 'gentle', label: 'always gently' },
      ]}
      onchange={(v) => method({ rates: v as 'any' })}
      problem={planner.problemAt('methods.rates')} />
    <Choice
      stacked
      label="Best is"
      value={methods.aim}
      disabled={off}
      options={[
        { value: 'finish', label: 'the earliest end' },
        { value: 'sure', label: 'the surest end' },
      ]}
      onchange={(v) => method({ aim: v as 'finish' })}
      problem={planner.problemAt('methods.aim')} />
  </section>

  <section class="flex flex-col gap-5">
    <div>
      <h2 class="mb-2">Jobs, in this order</h2>
      {#each day.jobs as d, k (d.job_id)}
        {@const j = jobOf(d.job_id)}
        <div class="border-b border-rule py-2">
          <div class="flex items-center gap-2">
            <span class="sharp w-6 text-title">{j?.letter ?? '?'}</span><a class="mr-auto font-semibold" href="/jobs/{d.job_id}"
              >{j?.name ?? 'an archived job'}</a>
            <button class="button plain px-2" aria-label="Earlier" disabled={off || k === 0} onclick={() => move(k, -1)}
              >↑</button>
            <button
              class="button plain px-2"
              aria-label="Later"
              disabled={off || k === day.jobs.length - 1}
              onclick={() => move(k, 1)}>↓</button>
            <button
              class="button plain px-2"
              aria-label="Take out of the day"
              disabled={off}
              onclick={() => drop('Job taken out of the day', { jobs: day.jobs.filter((_, i) => i !== k) })}>×</button>
          </div>
          <Choice
            label="flown by"
            value={d.aircraft_id}
            empty="choose"
            disabled={off}
            options={(fleet?.aircraft ?? []).map((a) => ({ value: a.id, label: a.name }))}
            onchange={(v) =>
              planner.change({
                jobs: day.jobs.map((x, i) => (i === k ? { ...x, aircraft_id: v || null } : x)),
              })} />
          {#each planner.jobProblems.filter((p) => p.job_id === d.job_id) as p (p.message)}<p class="problem mt-1 text-small">
              {p.message}
            </p>{/each}
        </div>
      {:else}<p class="quiet">No job in the day yet.</p>{/each}
      {#if free.length}
        <select
          class="input mt-2"
          aria-label="Add a job"
          disabled={off}
          value=""
          onchange={(e) => {
            if (e.currentTarget.value)
              void planner.change({
                jobs: [...day.jobs, { job_id: e.currentTarget.value, aircraft_id: null }],
              });
            e.currentTarget.value = '';
          }}>
          <option value="">Add a job …</option>{#each free as j (j.id)}<option value={j.id}>{j.letter} · {j.name}</option>{/each}
        </select>
      {/if}
      {#if planner.problemAt('jobs', 'aircraft')}<p class="problem mt-1 text-small">
          {planner.problemAt('jobs', 'aircraft')}
        </p>{/if}
    </div>
    {#if flown.length > 1}
      <Crews crews={day.crews} aircraft={flown} {off} onchange={(crews) => planner.change({ crews })} />
    {/if}
    <div>
      <h2 class="mb-2">Chargers and supply</h2>
      {#each fleet?.chargers ?? [] as c (c.id)}
        <label class="flex min-h-touch items-center gap-2"
          ><input
            type="checkbox"
            class="size-4"
            disabled={off}
            checked={day.charger_ids.includes(c.id)}
            onchange={() => planner.change({ charger_ids: toggle(day.charger_ids, c.id) })} />{c.name}<span class="quiet"
            >{fleet?.charger_models.find((m) => m.id === c.model_id)?.ports} ports</span
          ></label>
      {/each}
      {#if planner.problemAt('chargers')}<p class="problem text-small">
          {planner.problemAt('chargers')}
        </p>{/if}
      <Choice
        label="Supply"
        value={day.supply_id}
        empty="not limited"
        disabled={off}
        options={(fleet?.supplies ?? []).map((s) => ({ value: s.id, label: s.name }))}
        onchange={(v) => planner.change({ supply_id: v || null })}
        problem={planner.problemAt('supply', 'supply_id')} />
      {#each (fleet?.supplies ?? []).filter((s) => day.supply_id && s.id !== day.supply_id) as s (s.id)}
        <label class="flex min-h-touch items-center gap-2"
          ><input
            type="checkbox"
            class="size-4"
            disabled={off}
            checked={more.includes(s.id)}
            onchange={() => planner.change({ more_supply_ids: toggle(more, s.id) })} />and {s.name}</label>
      {/each}
      <div class="mt-2 flex flex-col gap-2">
        <NumberField
          label="Where packs lie and charge"
          quantity="c"
          value={day.bench_c ?? 18}
          disabled={off}
          onchange={(v) => planner.change({ bench_c: v })}
          problem={planner.problemAt('bench_c')} />
        <NumberField
          label="Height of the site"
          quantity="m"
          value={day.elevation_m ?? 0}
          disabled={off}
          onchange={(v) => planner.change({ elevation_m: v })}
          problem={planner.problemAt('elevation_m')} />
      </div>
    </div>
    <div>
      <h2 class="mb-2">Crew</h2>
      {#each people.filter((p) => p.active) as p (p.id)}
        <label class="flex min-h-touch items-center gap-2"
          ><input
            type="checkbox"
            class="size-4"
            disabled={off}
            checked={day.crew_ids.includes(p.id)}
            onchange={() =>
              planner.change({
                crew_ids: day.crew_ids.includes(p.id) ? day.crew_ids.filter((x) => x !== p.id) : [...day.crew_ids, p.id],
              })} />{p.full_name || p.username}<span class="quiet">{p.role}</span></label>
      {:else}<p class="quiet">{session.me?.full_name}</p>{/each}
    </div>
  </section>

  <section>
    <h2 class="mb-2">Packs, with their charge at opening</h2>
    {#if planner.problemAt('packs')}<p class="problem mb-1 text-small">{planner.problemAt('packs')}</p>{/if}
    {#each near as p (p.id)}{@render packRow(p)}{:else}<p class="quiet">
        {#if fleet?.packs.length}No pack of the kind that these jobs fly.{:else}No packs in the fleet. <a href="/packs"
            >Add some.</a
          >{/if}
      </p>{/each}
    {#if others.length}
      <details class="mt-2">
        <summary class="inline-flex min-h-touch cursor-pointer items-center"
          >Add others ({others.length}: not flown by these jobs)</summary>
        {#each others as p (p.id)}{@render packRow(p)}{/each}
      </details>
    {/if}
  </section>
</div>
