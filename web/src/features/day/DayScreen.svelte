<script lang="ts">
  import Later from '$shared/ui/Later.svelte';
  import Learnt from '$shared/ui/Learnt.svelte';
  import { beforeNavigate, goto } from '$app/navigation';
  import { Dialog } from 'bits-ui';
  import { call } from '$shared/api/call';
  import { LEAVE_WORDS } from '$shared/device/drafts';
  import { clock, dayAndClock, dayName, hours, hoursOf } from '$shared/format/units';
  import { calling } from '$shared/format/words';
  import { allJobs } from '$shared/lists';
  import { resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import { help } from '$shared/ui/help.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import Why from '$shared/working/Why.svelte';
  import { DayState } from './state/day.svelte';
  import { CourseState, drawnOf } from './state/course.svelte';
  import DaySetup from './components/DaySetup.svelte';
  import Fixed from './components/Fixed.svelte';
  import Holds from './components/Holds.svelte';
  import Packing from './components/Packing.svelte';
  import { withPin, wordsOf, type Pin } from './words/pins';
  import Section from './components/Section.svelte';
  import Sure from './components/Sure.svelte';
  import Versions from './components/Versions.svelte';
  import Week from './components/Week.svelte';

  let { id }: { id: string } = $props();
  const planner = new DayState();
  const theFleet = resource(() => call('GET', '/api/fleet'));
  const theJobs = resource(allJobs);
  const thePeople = resource(() => call('GET', '/api/people'));
  const fleet = $derived(theFleet.value);
  const jobs = $derived(theJobs.value ?? []);
  const people = $derived(thePeople.value ?? []);
  let chosen = $state('');
  let setup = $state(false);
  let lower = $state<'' | 'plans' | 'packing'>('');
  let copying = $state(false);
  let week = $state(false);
  let toDate = $state('');
  $effect(() => {
    void planner.load(id);
    return () => planner.leave();
  });
  beforeNavigate((going) => {
    if (planner.unsaved && (going.willUnload || !confirm(LEAVE_WORDS))) going.cancel();
  });

  const day = $derived(planner.day);
  const plan = $derived(planner.plan);
  // A day that has begun is drawn as it goes, or as it went; its plan stays one tap away.
  // svelte-ignore state_referenced_locally
  const course = new CourseState(id);
  let asPlanned = $state(false);
  const running = $derived(planner.day?.running ?? '');
  $effect(() => {
    if (!running) return;
    course.open();
    return () => course.close();
  });
  const drawn = $derived(running && !asPlanned ? course.course : null);
  const writable = $derived(session.may('day:write') && !!day && !day.archived);
  const packWaits = $derived((plan?.waits ?? []).filter((w) => w.reason === 'pack'));
  const stops = $derived((plan?.supply.each ?? []).flatMap((s) => s.stops as [number, number][]));
  const crewWaited = $derived((plan?.waits ?? []).reduce((s, w) => s + (w.reason === 'crew' ? w.to_s - w.from_s : 0), 0));
  const waited = $derived(packWaits.reduce((s, w) => s + w.to_s - w.from_s, 0));
  const saved = $derived(plan?.plain_rule_s ? plan.plain_rule_s - plan.finish_s : 0);
  const chargeOf = (c: { member: string; at_s: number }) =>
    (plan?.calls.find((o) => o.kind === 'off_port' && o.member === c.member && o.at_s > c.at_s)?.at_s ?? c.at_s) - c.at_s;
  const name = (aid: string) => plan?.aircraft.find((a) => a.id === aid)?.name ?? '';
  const perAircraft = $derived(
    (plan?.aircraft ?? []).map((a) => ({
      name: a.name,
      s: packWaits.filter((w) => w.aircraft === a.id).reduce((t, w) => t + w.to_s - w.from_s, 0),
    })),
  );
  const letters = $derived(
    (day?.jobs ?? []).map((d) => {
      const j = jobs.find((x) => x.id === d.job_id);
      return {
        letter: j?.letter ?? '',
        name: j?.name ?? '',
        kind: j?.kind ?? '',
        n: plan?.flights.filter((f) => f.job === d.job_id).length ?? 0,
      };
    }),
  );
  const STATES: Record<string, string> = {
    first: 'a good plan, at once',
    queued: 'searching for better …',
    searching: 'searching for better …',
    best: 'best found',
    proven: 'proven optimal: none ends earlier',
    stopped: 'search stopped',
    old: '',
  };

  $effect(() =>
    help.offer('day', [
      { id: 'setup', label: 'Day settings', keys: 'E', run: () => (setup = !setup) },
      { id: 'copy-day', label: 'Copy this day', keys: 'C', run: () => (copying = true) },
      { id: 'print-day', label: 'Print this day', keys: 'P', run: () => window.print() },
      { id: 'day-sheet', label: 'Day sheet as PDF', run: () => (location.href = out('pdf')) },
      { id: 'plans', label: 'Plans of this day, side by side', keys: 'V', run: () => (lower = lower === 'plans' ? '' : 'plans') },
      { id: 'packing', label: 'What to take', keys: 'K', run: () => (lower = lower === 'packing' ? '' : 'packing') },
      { id: 'week', label: 'The week', keys: 'W', run: () => (week = !week) },
      { id: 'stop', label: 'Stop searching for a better plan', run: () => planner.stop() },
    ]),
  );
  $effect(() => {
    if (day && !day.jobs.length) setup = true;
  });

  const out = (form: string) => `/api/days/${id}/out/${form}`;
  const FORMS = [
    { form: 'pdf', label: 'Day sheet' },
    { form: 'ics', label: 'Calendar' },
    { form: 'csv', label: 'CSV' },
    { form: 'json', label: 'JSON' },
  ];
  function fix(p: Pin) {
    const before = day!.pins ?? [];
    void planner.change({ pins: withPin(before, p) });
    notices.say(`Fixed: ${wordsOf(p)}`, { undo: () => void planner.change({ pins: before }) });
  }
  async function copy(e: SubmitEvent) {
    e.preventDefault();
    const { data, problem } = await call('POST', '/api/days/{day_id}/copy', {
      params: { path: { day_id: id } },
      body: { date: toDate },
    });
    if (data) {
      copying = false;
      await goto(`/days/${data.day.id}`);
      notices.say(`Copied to ${dayName(data.day.date)}`);
    } else notices.say(problem.detail, { bad: true });
  }
</script>

<svelte:head><title>{day?.name ?? 'Day'} · Gentle Quarry</title></svelte:head>

{#if planner.missing}
  <div class="p-10">
    <h1 class="mb-2">This day is not here</h1>
    <a class="button" href="/days">All days</a>
  </div>
{:else if !day}
  <p class="quiet p-6" role="status">{planner.refused?.detail ?? 'Opening the section …'}</p>
{:else}
  <div class="day grid min-h-[calc(100dvh-68px)] grid-cols-[minmax(0,1fr)_304px]">
    <div class="min-w-0 px-6 pb-8 pt-5">
      <div class="mb-3 flex flex-wrap items-end gap-x-6 gap-y-2">
        <div class="mr-auto">
          <h1 class="!text-page">{day.name}</h1>
          <div class="quiet mt-1">
            {dayName(day.date)}, {hoursOf(day)}{planner.busy ? ' · planning …' : ''}
          </div>
          {#if planner.unsaved || planner.found}<div class="mt-1 text-small" role="status" data-testid="unsaved">
              {#if planner.found}Changes of {dayAndClock(planner.found)} were kept on this device and taken up again.{/if}
              {#if planner.unsaved}<span class="problem"
                  >{planner.unsaved === 'unsent'
                    ? 'Not sent yet, kept on this device; sent again by itself.'
                    : 'Not saved: see below what is wrong.'}</span>
                <button class="underline" onclick={() => planner.again()}>try again</button>{/if}
            </div>{/if}
        </div>
        {#each letters as l (l.letter)}
          <div class="flex items-center gap-1.5">
            <span class="sharp text-head">{l.letter}</span>
            <div class="text-note leading-tight">
              <b>{l.name}</b><br /><span class="quiet">{l.kind}, {l.n} sortie{l.n === 1 ? '' : 's'}</span>
            </div>
          </div>
        {/each}
      </div>
      {#if week}<Week {day} number={plan?.number ?? 0} />{/if}
      {#if running}<div class="mb-2 flex flex-wrap items-center gap-3 border-y border-rule py-1.5" data-testid="course-bar">
          <b>{running === 'closed' ? 'This day is flown and closed.' : 'This day is being flown.'}</b>
          {#if drawn}<span
              >{drawn.flights.filter((f) => f.happened).length} of {drawn.flights.length} sorties up so far, last landing {clock(
                day,
                drawn.finish_s,
              )}</span
            >{/if}
          <button class="button small ml-auto" aria-pressed={asPlanned} onclick={() => (asPlanned = !asPlanned)}
            >As planned</button>
          <a class="button small" href="/days/{day.id}/live">{running === 'closed' ? 'How it went' : 'Live'}</a>
        </div>{/if}
      <Failed of={[theFleet, theJobs, thePeople]} />
      {#if drawn}<Section
          {day}
          plan={drawnOf(drawn)}
          now={running === 'closed' ? null : drawn.now_s}
          ghosts={drawn.ghosts}
          bind:chosen />
      {:else if plan}<Section {day} {plan} {stops} bind:chosen onpin={writable ? fix : undefined} onwider={() => (week = true)} />
        {#if plan.why.length}<p class="quiet m-0 mt-2 text-small" data-testid="why">
            Planned anew: {plan.why.slice(0, 3).join('; ')}{plan.why.length > 3 ? ` and ${plan.why.length - 3} more` : ''}.
          </p>{/if}
      {:else if planner.problem}
        <div class="my-6 rounded border-2 border-madder bg-wash-madder p-4" role="alert" data-testid="day-problem">
          <b>This day cannot be planned yet.</b>
          {planner.problem.detail}
        </div>
      {/if}
      {#each plan?.cautions ?? [] as c, nth (nth)}<p class="m-0 mt-2 text-copper" data-testid="caution"><b>!</b> {c}</p>{/each}
      <Learnt learnt={plan?.learnt} />
      {#each planner.jobProblems as p (p.job_id)}<p class="problem mt-2" role="alert">
          <a href="/jobs/{p.job_id}">{p.name}</a>: {p.message}
        </p>{/each}
      <Later>
        <section class="no-print mt-5 border-t-line border-ink pt-3" aria-label="Fixed, plans, packing">
          <div class="mb-3 flex flex-wrap gap-2">
            <button class="button" aria-pressed={lower === 'plans'} onclick={() => (lower = lower === 'plans' ? '' : 'plans')}
              >Plans side by side</button>
            <button class="button" aria-pressed={week} onclick={() => (week = !week)}>The week</button>
            <button
              class="button"
              aria-pressed={lower === 'packing'}
              onclick={() => (lower = lower === 'packing' ? '' : 'packing')}>What to take</button>
            {#if plan}{#each FORMS as f (f.form)}<a class="button" href={out(f.form)} download>{f.label}</a>{/each}{/if}
          </div>
          {#if plan && lower === 'plans'}<Versions {day} {plan} />{/if}
          {#if plan && lower === 'packing'}<Packing {id} number={plan.number} />{/if}
          <div class="mt-3"><Fixed {planner} {plan} {writable} /></div>
        </section>
        <section class="no-print mt-5 border-t-line border-ink pt-3" aria-label="Day settings">
          <button class="button plain -ml-3 mb-2 text-lead" aria-expanded={setup} onclick={() => (setup = !setup)}
            ><span class="sharp">{setup ? '▾' : '▸'} Day settings</span></button>
          {#if planner.refused && planner.refused.code !== 'stale' && !planner.refused.field}<p class="problem mb-2" role="alert">
              {planner.refused.detail}
            </p>{/if}
          {#if setup}<DaySetup {planner} {fleet} {jobs} {people} {writable} />{/if}
        </section>
      </Later>
    </div>
    <aside class="bg-sheet px-6 py-5" aria-label="Finish and calls">
      {#if drawn}
        <h2>{running === 'closed' ? 'It landed last at' : 'As it goes, last landing'}</h2>
        <div class="sharp my-1 text-call leading-none" data-testid="course-finish">{clock(day, drawn.finish_s)}</div>
        <p class="m-0 mb-5 text-small">
          {clock(day, Math.max(...drawn.ghosts.map((g) => g.landing_s)))} as it was planned when the day began. What follows is the
          plan, made anew from what is known now.
        </p>
      {/if}
      {#if plan}
        <h2>Last landing{drawn ? ', as planned' : ''}</h2>
        <div class="my-1 flex items-end gap-4">
          <span class="sharp text-call leading-none" data-testid="finish"
            ><Why
              text={clock(day, plan.finish_s)}
              name="last landing"
              of="days"
              id={day.id}
              key="finish"
              clock={(s) => clock(day, s)} /></span>
        </div>
        <p class="text-small" role="status" data-testid="search-state">
          {STATES[plan.state]}{#if planner.searching}<button
              class="button plain small ml-1 underline"
              onclick={() => planner.stop()}>stop</button
            >{:else if plan.state === 'stopped' && writable}<button
              class="button plain small ml-1 underline"
              onclick={() => planner.search()}>search again</button
            >{/if}
        </p>
        {#if planner.searching}<progress
            class="mt-1 h-1.5 w-full"
            value={plan.progress}
            max="1"
            aria-label="Search for a better plan"></progress
          >{/if}
        <dl class="mt-3 border-t border-rule text-small">
          <div class="flex min-h-9.5 items-center justify-between border-b border-rule">
            <dt>Earliest possible</dt>
            <dd class="font-semibold">
              <Why
                text={clock(day, plan.bound_s)}
                name="no plan could end before"
                of="days"
                id={day.id}
                key="bound"
                clock={(s) => clock(day, s)} />
            </dd>
          </div>
          <div class="flex min-h-9.5 items-center justify-between border-b border-rule">
            <dt>Without optimising</dt>
            <dd class="font-semibold">
              {#if plan.plain_rule_s}<Why
                  text={clock(day, plan.plain_rule_s)}
                  name="first come, first charged"
                  of="days"
                  id={day.id}
                  key="plain"
                  clock={(s) => clock(day, s)} />{:else}does not finish{/if}
            </dd>
          </div>
          {#if saved > 30}<div class="flex min-h-9.5 items-center justify-between border-b border-rule">
              <dt>Saved against that</dt>
              <dd class="font-semibold text-lichen">{hours(saved)}</dd>
            </div>{/if}
        </dl>
        <Later>
          <h2 class="mt-5">Confidence</h2>
          {#if plan.chance}<Sure {day} {plan} />{:else}<p class="quiet mt-1 text-small" role="status">
              Being worked out in the background …
            </p>{/if}
          <h2 class="mt-5">Bottlenecks</h2>
          <Holds {day} {plan} />
          <h2 class="mt-5 flex justify-between">
            <span>Waits for packs</span><span
              ><Why text={hours(waited)} name="waits for packs" of="days" id={day.id} key="waits" /></span>
          </h2>
          {#each perAircraft as a (a.name)}
            <div class="mt-1.5 grid grid-cols-[84px_1fr_56px] items-center gap-2 text-small">
              <span class="truncate" title={a.name}>{a.name}</span><span class="h-3 border-l border-ink"
                ><span
                  class="block h-full bg-heather"
                  style="width: {plan.finish_s ? Math.min(100, (a.s / plan.finish_s) * 100) : 0}%"></span
                ></span
              ><b class="text-right">{hours(a.s)}</b>
            </div>
          {/each}
          {#if crewWaited >= 60}<p class="m-0 mt-1.5 text-small">
              And {hours(crewWaited)} while their crew flies another aircraft.
            </p>{/if}
          {#if plan.gates.length}
            <h2 class="mt-5">Fallback landing places</h2>
            {#each plan.gates as g (g.job_id)}<p class="m-0 mt-1 text-small">
                <b>{g.letter}</b>
                {#if g.fallbacks.length}{g.fallbacks.join(', ')}{:else}<span class="text-copper">none chosen yet</span>{/if}
              </p>{/each}
          {/if}
          <h2 class="mt-5">Calls to come</h2>
          <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
          <ol
            class="scrolls m-0 mt-1 max-h-120 list-none overflow-y-auto p-0"
            data-testid="calls"
            tabindex="0"
            aria-label="Calls to come">
            {#each plan.calls as c, k (k)}
              <li
                class="grid grid-cols-[52px_1fr] border-b border-rule py-1.5 {c.kind === 'turn_back'
                  ? 'font-semibold text-madder'
                  : ''} {chosen && c.flight === chosen ? 'bg-paper-deep' : ''}">
                <b>{clock(day, c.at_s)}</b>
                <span>
                  {calling(c, name(c.aircraft))}
                  {#if c.kind === 'on_port'}for <Why
                      text={hours(chargeOf(c))}
                      name="charge of pack {c.member}"
                      of="days"
                      id={day.id}
                      key="charge_{c.member}_{Math.round(c.at_s)}" />{/if}
                </span>
              </li>
            {:else}<li class="quiet py-2">No calls.</li>{/each}
          </ol>
          {#if plan.can_give_w !== null}
            <h2 class="mt-5">Supply</h2>
            <p class="m-0 mt-1 text-small">
              Can give <Why
                text="{(plan.can_give_w / 1000).toFixed(2)} kW"
                name="what the supply can give"
                of="days"
                id={day.id}
                key="supply" /> for hours{#if plan.supply.each.some((s) => s.generator)}, at {Math.round(plan.supply.elevation_m)} m
                and
                {Math.round(plan.supply.air_c)} °C{/if}.
            </p>
            {#each plan.supply.each as s (s.name)}
              {#if s.litres}<p class="m-0 mt-1 text-small">
                  {s.name}: {s.litres.toFixed(1)} l of {s.fuel}{#if s.refuel_s.length}, refuel {(s.refuel_s as number[])
                      .map((t) => clock(day, t))
                      .join(', ')}{#if s.stops.length}, {hours((s.stops[0]![1] as number) - (s.stops[0]![0] as number))} off each time{/if}{/if}.
                </p>{/if}
            {/each}
            {#if plan.supply.outlets}<p class="m-0 mt-1 text-small">
                {#if plan.supply.outlets_needed == null}One of the chargers alone is too much for an outlet like these.
                {:else}{plan.supply.outlets_needed === 1 ? 'One outlet is' : `${plan.supply.outlets_needed} outlets are`} enough; there
                  {plan.supply.outlets === 1 ? 'is one' : `are ${plan.supply.outlets}`}.{/if}
              </p>{/if}
            {#each Object.entries(plan.supply.outlet_of) as [c, o] (c)}<p class="quiet m-0 mt-1 text-small">{c} → {o}</p>{/each}
          {/if}
        </Later>
      {:else if !drawn}<h2>Last landing</h2>
        <p class="quiet mt-2">No plan yet.</p>{/if}
      <div class="no-print mt-4 flex flex-wrap gap-2">
        <button
          class="button"
          disabled={!writable}
          onclick={() => {
            toDate = day.date;
            copying = true;
          }}>Copy the day</button
        ><a class="button" href="/days/{day.id}/live">Live</a><a class="button" href="/days/{day.id}/rehearse">Rehearse</a><button
          class="button"
          onclick={() => window.print()}>Print</button>
      </div>
      <p class="quiet mt-3 text-note">
        Never charge below freezing or unwatched. The maker's manual, electrical and fire codes take precedence over this plan.
      </p>
    </aside>
  </div>

  <Dialog.Root bind:open={copying}>
    <Dialog.Portal>
      <Dialog.Overlay class="veil" />
      <Dialog.Content class="dialog" aria-describedby={undefined}>
        <Dialog.Title class="sharp mb-3 text-head">Copy to another date</Dialog.Title>
        <form onsubmit={copy} class="flex flex-col gap-4">
          <TextField label="Date" type="date" live value={toDate} onchange={(v) => (toDate = v)} />
          <div class="flex justify-end gap-3">
            <Dialog.Close class="button" type="button">Cancel</Dialog.Close><button class="button dark" disabled={!toDate}
              >Copy</button>
          </div>
        </form>
      </Dialog.Content>
    </Dialog.Portal>
  </Dialog.Root>
  <Dialog.Root open={!!planner.theirs}>
    <Dialog.Portal>
      <Dialog.Overlay class="veil" />
      <Dialog.Content class="dialog" escapeKeydownBehavior="ignore" interactOutsideBehavior="ignore">
        <Dialog.Title class="sharp text-head">Somebody else has saved this day</Dialog.Title>
        <Dialog.Description class="my-3"
          >Theirs has {planner.theirs?.jobs.length} jobs and {planner.theirs?.packs.length} packs, {planner.theirs?.opens} to {planner
            .theirs?.closes}; yours {day.jobs.length} jobs and {day.packs.length} packs,
          {day.opens} to {day.closes}. Which shall stand? The history keeps both.</Dialog.Description>
        <div class="flex justify-end gap-3">
          <button class="button" onclick={() => planner.settle('theirs')}>Take theirs</button><button
            class="button dark"
            onclick={() => planner.settle('mine')}>Keep mine</button>
        </div>
      </Dialog.Content>
    </Dialog.Portal>
  </Dialog.Root>
{/if}

<style>
  @media (max-width: 900px) {
    .day {
      grid-template-columns: minmax(0, 1fr);
    }
  }
  @media print {
    .day {
      display: block;
    }
  }
</style>
