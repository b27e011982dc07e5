<!-- A running day for gloves: one call fills the view, one tap says it happened, three other things below it. -->
<script lang="ts">
  import { page } from '$app/state';
  import { call } from '$shared/api/call';
  import { type Schemas } from '$shared/api/client';
  import { clock, percent } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { help } from '$shared/ui/help.svelte';
  import { steady } from '$shared/ui/steady';
  import AircraftRows from './components/AircraftRows.svelte';
  import AlertPlace from './components/AlertPlace.svelte';
  import Caller from './components/Caller.svelte';
  import Debrief from './components/Debrief.svelte';
  import Doings from './components/Doings.svelte';
  import GapsLeft from './components/GapsLeft.svelte';
  import EndDay from './components/EndDay.svelte';
  import { heard } from './state/heard.svelte';
  import LargePrint from './components/LargePrint.svelte';
  import WeatherMeasured from './components/WeatherMeasured.svelte';
  import { LiveState } from './state/live.svelte';
  import type { Whose } from './words/calls';
  import type { Live } from './words/words';
  import { ownerOf } from '$shared/device/outbox';
  import { callsOf, isOf, nextOf, shownOf, WHOSE } from './words/calls';
  import { ofAircraft, ofPack, ofPort } from './words/doings';
  import { whose } from './state/whose';
  import { callLine, countdown, opensAt } from './words/words';

  let { id }: { id: string } = $props();
  // svelte-ignore state_referenced_locally
  const run = new LiveState(id, ownerOf(session.me ?? {}, id));
  run.whose = whose.of(session.me ?? {});
  $effect(() => {
    void run.open();
    return () => run.close();
  });
  // The screen stays awake while the day runs, where the device lets it.
  $effect(() => {
    let lock: WakeLockSentinel | undefined;
    const hold = () =>
      void navigator.wakeLock?.request('screen').then(
        (l) => (lock = l),
        () => undefined,
      );
    const seen = () => document.visibilityState === 'visible' && hold();
    hold();
    document.addEventListener('visibilitychange', seen);
    return () => {
      document.removeEventListener('visibilitychange', seen);
      void lock?.release();
    };
  });

  const live = $derived(run.live);
  const writable = $derived(session.may('day:run'));
  const opens = $derived(live ? opensAt(live) : '00:00');
  const at = (s: number) => clock(opens, s);
  let ending = $state(false);
  let moved = $state(false);
  let calm: ReturnType<typeof setTimeout>;
  function ignored() {
    moved = true;
    clearTimeout(calm);
    calm = setTimeout(() => (moved = false), 2500);
  }
  const steadily = steady(ignored);
  const later = $derived(
    live
      ? shownOf(run, live)
          .filter((c) => c !== nextOf(run, live))
          .slice(0, 5)
      : [],
  );
  const late = $derived(live ? live.finish_s - live.planned_finish_s : 0);
  $effect(() => help.offer('live', [{ id: 'send', label: 'Send what waits', run: () => run.send() }]));
  let about = $state<{ what: 'pack' | 'port' | 'aircraft'; id: string } | null>(null);
  const opened = $derived.by(() => {
    if (!live || !about) return null;
    const { what, id: name } = about;
    if (what === 'pack') {
      const p = live.packs.find((x) => x.name === name)!;
      const stands = `${WORDS[p.word]}${p.word === 'port' ? ` ${p.port}` : ''}${p.flight ? ` ${p.flight}` : ''}, ${percent(p.frac)}${p.why ? `: ${p.why}` : ''}`;
      const doings = p.word === 'air' ? [] : ofPack(p, live);
      return { title: `Pack ${p.name}`, stands, doings, shows: p.word === 'rest' || p.word === 'port' ? p.name : undefined };
    }
    if (what === 'port') {
      const p = live.ports.find((x) => x.port === Number(name))!;
      return { title: `Port ${p.port}`, stands: portWords(p), doings: ofPort(p, live) };
    }
    const a = live.aircraft.find((x) => x.id === name)!;
    return { title: a.name, stands: a.next ? `${a.next} is next` : 'nothing more to fly', doings: ofAircraft(a, live) };
  });
  const portWords = (p: Live['ports'][number]) =>
    p.dead
      ? 'fault'
      : p.pack
        ? `${p.pack}, ${percent(p.frac ?? 0)}${p.into_a === null ? '' : `, ${p.into_a.toFixed(1)} A`}`
        : 'free';
  const dueOf = (w: Whose) => (live ? callsOf(run, live).filter((c) => isOf(c, w) && c.at_s <= run.nowS).length : 0);
  function choose(call: string) {
    run.chosen = call;
    run.landing = null;
    // The big call stands above what was tapped.
    document.querySelector('[data-testid="call"]')?.scrollIntoView?.({ block: 'nearest' });
  }
  function open(p: Live['packs'][number]) {
    if (p.word === 'air' && p.flight) run.land(p.flight);
    else about = { what: 'pack', id: p.name };
  }
  const large = $derived(page.url.searchParams.has('large'));
  const due = $derived.by(() => {
    const next = live ? nextOf(run, live) : null;
    return next && next.at_s <= run.nowS ? next.id : '';
  });
  $effect(() => {
    if (live) heard.follow(live, due);
  });
  const sprayed = $derived(
    live && !live.rehearsal_of
      ? live.gates.filter((g) => live.weather_due.some((w) => w.letter === g.letter)).map((g) => [g.job_id, g.letter] as const)
      : [],
  );
  let summary = $state.raw<Schemas['SummaryOut'] | null>(null);
  const names = $derived(Object.fromEntries((live?.aircraft ?? []).map((a) => [a.id!, a.name!])));
  $effect(() => {
    if (live?.closed && !summary)
      void call('GET', '/api/days/{day_id}/summary', { params: { path: { day_id: id } } }).then(({ data }) => (summary = data));
  });
  const WORDS: Record<string, string> = { rest: 'rests', port: 'port', air: 'flies', out: 'out' };
  const PATTERN: Record<string, string> = { rest: 'resting', port: 'charging', air: 'flying', out: 'grounded' };
</script>

<svelte:head><title>{live?.name ?? 'Live'} · Gentle Quarry</title></svelte:head>

{#if run.notStarted}
  <div class="mx-auto max-w-183 p-8">
    <h1>This day has not begun</h1>
    <p class="my-4 text-title">
      Begin it when the crew is on site: from then on every tap is kept, and the plan follows what happens.
    </p>
    {#if run.problem?.code === 'ask'}
      <div class="mb-4 border-y-2 border-copper bg-wash-copper px-4 py-3 text-title" role="alert" data-testid="ask-when">
        {run.problem.detail}
      </div>
      <div class="flex flex-wrap gap-3">
        <a class="button !min-h-tap-call" href="/days/{id}">Wait</a>
        <button class="button dark !min-h-tap-call flex-1 !text-page" disabled={!writable} onclick={() => run.start('now')}
          >Start now, times move</button>
      </div>
      <p class="quiet mt-4">To see how it runs before it opens, <a href="/days/{id}/rehearse">rehearse the day</a>.</p>
    {:else}
      {#if run.problem}<p class="problem mb-4" role="alert">{run.problem.detail}</p>{/if}
      <div class="flex gap-3">
        <a class="button !min-h-tap-call" href="/days/{id}">Back to the plan</a>
        <button class="button dark !min-h-tap-call flex-1 !text-page" disabled={!writable} onclick={() => run.start()}
          >Begin the day</button>
      </div>
    {/if}
  </div>
{:else if !live}
  <p class="quiet p-6 text-title" role="status">
    {run.problem?.detail ?? (run.linked ? 'Opening the day …' : 'No link, and this device has not seen the day yet.')}
  </p>
{:else if large}
  <LargePrint {run} {live} />
{:else}
  <div class="mx-auto flex max-w-286 flex-col pb-6" data-testid="live" {@attach steadily}>
    <div class="flex flex-wrap items-center gap-x-5 px-6 py-2 text-lead">
      <a class="sharp min-w-0 text-head break-words text-ink max-phone:mr-auto" href="/days/{id}">{live.name}</a>
      <span class="sharp text-page tabular-nums" data-testid="clock">{at(run.nowS)}</span>
      <div
        class="flex items-center gap-2 max-phone:order-last max-phone:w-full"
        role="group"
        aria-label="Whose calls"
        data-testid="whose">
        {#each WHOSE as w (w.id)}<button
            class="button !min-h-tap max-phone:flex-1 max-phone:!px-1"
            aria-pressed={run.whose === w.id}
            onclick={() => {
              run.whose = w.id;
              whose.keep(session.me ?? {}, w.id);
            }}
            >{w.words}{#if dueOf(w.id)}<span class="count" aria-label="{dueOf(w.id)} due">{dueOf(w.id)}</span>{/if}</button
          >{/each}
      </div>
      {#if writable && live.searches && !live.closed && !live.found}<button
          class="button dark !min-h-tap"
          onclick={() => run.tap({ kind: 'found', figures: {} }, 'found: all come home')}>Found: call all home</button
        >{/if}
      <span class="ml-auto max-phone:ml-0 max-phone:w-full"
        >ends {at(live.finish_s)}{#if Math.abs(late) > 90}, planned {at(live.planned_finish_s)}{/if}</span>
    </div>
    {#if live.rehearsal_of}<div class="hatched px-6 py-1 text-lead">
        <span class="bg-paper px-2"
          ><b>Rehearsal</b>, {live.speed ? `${live.speed}×` : 'the clock stands'}: nothing of it goes to the records.
          <a href="/days/{id}/rehearse">Clock and faults</a></span>
      </div>{/if}
    <div class="h-12.5 shrink-0 overflow-hidden px-6 text-lead leading-[22px]" role="status" data-testid="strip">
      {#if moved}<b class="text-copper">The screen moved just then: tap again.</b>{/if}
      {#if !run.linked}<b class="text-copper">No link.</b>
        Plan of {at(live.planned_at_s)}, not replanned since.{/if}
      {#if run.waiting.length}<b>{run.waiting.length} kept here</b>, not sent yet.{:else}All that happened is kept. 0 to send.{/if}
      {#if run.storageRefused}<b class="text-madder"
          >This device refuses to keep taps: do not close the page before they are sent.</b
        >{/if}
      {#if run.clockOffS}This device's clock is {countdown(run.clockOffS)} off; times are set right.{/if}
    </div>

    <div class="grid grid-cols-[9fr_11fr] items-start gap-4 px-6 max-laptop:grid-cols-1 max-laptop:gap-1">
      <AlertPlace {run} {live} {writable} />
      {#if !live.closed}<AircraftRows {run} {live} {writable} onopen={(a) => (about = { what: 'aircraft', id: a.id })} />{/if}
    </div>

    <WeatherMeasured {run} {live} {writable} />
    <GapsLeft dayId={id} {live} {writable} onjoined={() => run.refresh()} />
    <Caller {run} {live} {writable} onignored={ignored} onclosed={() => run.refresh()} onlacks={() => (ending = true)} />
    {#if live.found}<div class="mx-6 border-2 border-lichen px-4 py-2 text-lead" data-testid="found">
        <b class="text-head">Found {at(live.found.at_s)}.</b>
        {live.found.words}
        {#each live.found.notations as n (n)}<span class="block font-mono tabular-nums">{n}</span>{:else}<span class="quiet block"
            >Where is not reported yet: <a href="/searches?day={id}">report the find in its search</a>.</span
          >{/each}
      </div>{/if}
    {#if summary}<div class="px-6 py-4"><Debrief {summary} {opens} {names} /></div>{/if}

    {#if !live.closed}<ol class="m-0 list-none px-6 py-2" aria-label="Calls to come">
        {#each later as c (c.id)}
          <li class="border-b border-rule">
            <button
              class="flex min-h-tap w-full items-center gap-4 bg-transparent text-left text-head"
              data-testid="later"
              onclick={() => choose(c.id)}
              ><b class="w-18 tabular-nums">{at(c.at_s)}</b><span class="mr-auto min-w-0">{callLine(c)}</span><span
                class="quiet text-lead">{c.at_s > run.nowS ? `in ${Math.round((c.at_s - run.nowS) / 60)} min` : 'due'}</span
              ></button>
          </li>
        {:else}<li class="quiet py-2">No more calls.</li>{/each}
      </ol>{/if}
    {#each live.changes.slice(-1) as c (c.at_s)}<p class="m-0 px-6 pb-2 text-lead" data-testid="change">
        <b>{at(c.at_s)}, {c.kept ? 'times moved' : 'plan changed'}:</b>
        {c.words}.
      </p>{/each}

    <section class="px-6" aria-label="Packs">
      <h2>Packs</h2>
      <div class="mt-1 grid grid-cols-[repeat(auto-fill,minmax(84px,1fr))] gap-2">
        {#each live.packs as p (p.name)}
          <button class="tile text-center text-body" data-testid="pack" disabled={!writable} onclick={() => open(p)}>
            <svg
              viewBox="0 0 84 72"
              class="w-full"
              role="img"
              aria-label="Pack {p.name}: {WORDS[p.word]}{p.word === 'port' ? ` ${p.port}` : ''}{p.flight
                ? ` ${p.flight}`
                : ''}, {percent(p.frac)}">
              <rect
                x="1"
                y="1"
                width="82"
                height="70"
                fill="var(--sheet)"
                stroke={p.word === 'out' ? 'var(--madder)' : 'var(--ink)'}
                stroke-width="1.6" />
              <rect
                x="1"
                y={71 - 70 * Math.max(0.05, p.frac)}
                width="82"
                height={70 * Math.max(0.05, p.frac)}
                fill="url(#p-{p.word === 'rest' && p.frac > 0.985 ? 'ready' : PATTERN[p.word]})" />
              <rect x="12" y="8" width="60" height="30" fill="var(--sheet)" stroke="var(--ink)" />
              <text
                x="42"
                y="31"
                text-anchor="middle"
                class="name"
                style:font-size={p.short.length > 4 ? `${Math.floor(96 / p.short.length)}px` : null}>{p.short}</text>
              <rect x="16" y="44" width="52" height="20" fill="var(--sheet)" />
              <text x="42" y="59" text-anchor="middle" class="share">{percent(p.frac)}</text>
            </svg>
            <b class={p.word === 'out' ? 'text-madder' : ''}
              >{p.word === 'rest' && p.frac > 0.985 ? 'ready' : WORDS[p.word]}{p.word === 'port' ? ` ${p.port}` : ''}{p.flight
                ? ` ${p.flight}`
                : ''}</b
            >{#if p.short !== p.name}<span class="block truncate text-note" title={p.name}>{p.name}</span>{/if}
          </button>
        {/each}
      </div>
      <div class="mt-3 grid grid-cols-[repeat(auto-fill,minmax(178px,1fr))] gap-2" aria-label="Ports" role="group">
        {#each live.ports as p (p.port)}
          <button
            class="flex min-h-tap items-center gap-2 border-line border-ink bg-sheet px-3 py-2 text-left text-lead"
            data-testid="port"
            disabled={!writable}
            onclick={() => (about = { what: 'port', id: String(p.port) })}>
            <span
              class="grid size-8 shrink-0 place-items-center rounded-full border-[1.6px] {p.pack ? 'bg-heather text-sheet' : ''}"
              ><b>{p.port}</b></span>
            <span class="min-w-0 break-words"><span class="visually-hidden">Port {p.port}: </span>{portWords(p)}</span>
          </button>
        {/each}
      </div>
    </section>
    <div class="mt-4 flex flex-wrap items-center gap-3 px-6 text-lead">
      {#if writable}<button
          class="button !min-h-tap"
          onclick={() =>
            run.tap(
              { kind: live.power_out ? 'power_back' : 'power_out', figures: {} },
              live.power_out ? 'power is back' : 'no power',
            )}>{live.power_out ? 'Power is back' : 'No power'}</button
        >{/if}
      <button class="button !min-h-tap" aria-pressed={heard.sound} onclick={() => heard.choose({ sound: !heard.sound })}
        >Sound</button>
      {#if heard.canShake}<button
          class="button !min-h-tap"
          aria-pressed={heard.shake}
          onclick={() => heard.choose({ shake: !heard.shake })}>Vibration</button
        >{/if}
      <a class="button !min-h-tap" href="/days/{id}/live?large">Large print</a>
      {#each sprayed as [job, letter] (job)}<a class="button !min-h-tap" href="/days/{id}/spray/{job}">Spray record {letter}</a
        >{/each}
      {#if writable && !live.closed && !live.rehearsal_of}<button class="button !min-h-tap" onclick={() => (ending = true)}
          >End day …</button
        >{/if}
      {#if run.last}<button class="button !min-h-tap" onclick={() => run.undo()}>Take back: {run.last.words}</button>{/if}
      {#each live.oddities.slice(-2) as o, nth (nth)}<span class="text-copper">! {o}</span>{/each}
      <span class="quiet ml-auto">The pilot in command and the maker's manual take precedence over every call.</span>
    </div>
  </div>
  <Doings {run} about={opened} onclose={() => (about = null)} />
  <EndDay {run} bind:open={ending} onended={() => run.refresh()} />
{/if}

<style>
  .hatched {
    background: repeating-linear-gradient(-45deg, var(--ink) 0 2px, var(--paper) 2px 9px);
  }
  .tile {
    padding: 0;
    border: 0;
    background: none;
    color: inherit;
    font: inherit;
    cursor: pointer;
  }
  .tile:disabled {
    cursor: default;
  }
  .count {
    min-width: 24px;
    padding: 0 6px;
    border-radius: 12px;
    background: var(--madder);
    color: var(--sheet);
    font-size: 14px;
    line-height: 24px;
  }
  .name {
    fill: var(--ink);
    font-size: 24px;
    font-weight: 700;
    font-variation-settings: 'SHRP' 100;
  }
  .share {
    fill: var(--ink);
    font-size: 16px;
    font-weight: 600;
  }
</style>
