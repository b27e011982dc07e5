<!-- A running day for gloves: one call fills the view, one tap says it happened, three other things below it. -->
<script lang="ts">
  import { page } from '$app/state';
  import { call } from '$shared/api/call';
  import { type Schemas } from '$shared/api/client';
  import { clock, hours, percent } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { help } from '$shared/ui/help.svelte';
  import { steady } from '$shared/ui/steady';
  import AlertPlace from './components/AlertPlace.svelte';
  import Caller from './components/Caller.svelte';
  import Debrief from './components/Debrief.svelte';
  import EndDay from './components/EndDay.svelte';
  import { heard } from './state/heard.svelte';
  import LargePrint from './components/LargePrint.svelte';
  import { LiveState } from './state/live.svelte';
  import { ownerOf } from '$shared/device/outbox';
  import { callsOf, nextOf } from './words/calls';
  import { callLine, countdown, opensAt } from './words/words';

  let { id }: { id: string } = $props();
  // svelte-ignore state_referenced_locally
  const run = new LiveState(id, ownerOf(session.me ?? {}, id));
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
  const steadily = steady(() => {
    moved = true;
    clearTimeout(calm);
    calm = setTimeout(() => (moved = false), 2500);
  });
  const later = $derived(
    live
      ? callsOf(run, live)
          .filter((c) => c !== nextOf(run, live))
          .slice(0, 5)
      : [],
  );
  const late = $derived(live ? live.finish_s - live.planned_finish_s : 0);
  $effect(() => help.offer('live', [{ id: 'send', label: 'Send what waits', run: () => run.send() }]));
  const flying = $derived(new Set((live?.flights ?? []).filter((f) => f.word === 'airborne').map((f) => f.id)));
  const large = $derived(page.url.searchParams.has('large'));
  const due = $derived.by(() => {
    const next = live ? nextOf(run, live) : null;
    return next && next.at_s <= run.nowS ? next.id : '';
  });
  $effect(() => {
    if (live) heard.follow(live, due);
  });
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
    <div class="flex flex-wrap items-baseline gap-x-5 px-6 py-2 text-lead">
      <a class="sharp mr-auto text-head text-ink" href="/days/{id}">{live.name}</a>
      <span
        >ends {at(live.finish_s)}{#if Math.abs(late) > 90}, {hours(Math.abs(late))}
          {late > 0 ? 'later' : 'earlier'} than planned{/if}</span>
      <span class="sharp text-page tabular-nums" data-testid="clock">{at(run.nowS)}</span>
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

    <AlertPlace {run} {live} {writable} />

    <Caller {run} {live} {writable} onclosed={() => run.refresh()} />
    {#if summary}<div class="px-6 py-4"><Debrief {summary} {opens} {names} /></div>{/if}

    {#if !live.closed}<ol class="m-0 list-none px-6 py-2" aria-label="Calls to come">
        {#each later as c (c.id)}
          <li class="flex items-baseline gap-4 border-b border-rule py-2 text-head">
            <b class="w-18 tabular-nums">{at(c.at_s)}</b><span class="mr-auto">{callLine(c)}</span><span class="quiet text-lead"
              >{c.at_s > run.nowS ? `in ${Math.round((c.at_s - run.nowS) / 60)} min` : 'due'}</span>
          </li>
        {:else}<li class="quiet py-2">No more calls.</li>{/each}
      </ol>{/if}
    {#each live.changes.slice(-1) as c (c.at_s)}<p class="m-0 px-6 pb-2 text-lead" data-testid="change">
        <b>{at(c.at_s)}, {c.kept ? 'times moved' : 'plan changed'}:</b>
        {c.words}.
      </p>{/each}

    {#each live.telemetry.filter((t) => flying.has(String(t.flight))) as t (t.flight)}<p
        class="m-0 flex flex-wrap gap-x-5 border-t border-rule px-6 py-1.5 text-lead"
        data-testid="air">
        <b>{t.flight} in the air</b>
        {#if t.left_frac !== null}<span>{percent(Number(t.left_frac))}</span>{/if}
        {#if t.lowest_v !== null}<span>lowest cell {Number(t.lowest_v).toFixed(2)} V</span>{/if}
        {#if t.pack_c !== null}<span>{Math.round(Number(t.pack_c))} °C</span>{/if}
        {#if t.satellites !== null}<span>{t.satellites} satellites</span>{/if}
        {#if t.from_home_m !== null}<span>{Math.round(Number(t.from_home_m))} m out</span>{/if}
        <span class="quiet">told {countdown(run.nowS - Number(t.at_s))} ago</span>
      </p>{/each}
    <section class="px-6" aria-label="Packs">
      <h2>Packs</h2>
      <div class="mt-1 grid grid-cols-[repeat(auto-fill,minmax(84px,1fr))] gap-2">
        {#each live.packs as p (p.name)}
          <div class="text-center text-body" data-testid="pack">
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
              <text x="42" y="31" text-anchor="middle" class="name">{p.name}</text>
              <rect x="16" y="44" width="52" height="20" fill="var(--sheet)" />
              <text x="42" y="59" text-anchor="middle" class="share">{percent(p.frac)}</text>
            </svg>
            <b class={p.word === 'out' ? 'text-madder' : ''}
              >{p.word === 'rest' && p.frac > 0.985 ? 'ready' : WORDS[p.word]}{p.word === 'port' ? ` ${p.port}` : ''}{p.flight
                ? ` ${p.flight}`
                : ''}</b>
          </div>
        {/each}
      </div>
      <div class="mt-3 grid grid-cols-[repeat(auto-fill,minmax(178px,1fr))] gap-2" aria-label="Ports" role="group">
        {#each live.ports as p (p.port)}
          <div class="flex items-center gap-2 border-line border-ink bg-sheet px-3 py-2 text-lead" data-testid="port">
            <span
              class="grid size-8 shrink-0 place-items-center rounded-full border-[1.6px] {p.pack ? 'bg-heather text-sheet' : ''}"
              ><b>{p.port}</b></span>
            <span
              >{p.dead
                ? 'fault'
                : p.pack
                  ? `${p.pack}, ${percent(p.frac ?? 0)}${p.into_a === null ? '' : `, ${p.into_a.toFixed(1)} A`}`
                  : 'free'}</span>
            {#if writable}<button
                class="button plain small ml-auto"
                onclick={() =>
                  run.tap(
                    { kind: p.dead ? 'port_back' : 'port_dead', figures: { port: p.port } },
                    p.dead ? `port ${p.port} works again` : `port ${p.port}: fault reported`,
                  )}>{p.dead ? 'Works again' : 'Report fault'}</button
              >{/if}
          </div>
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
      {#if writable && !live.closed && !live.rehearsal_of}<button class="button !min-h-tap" onclick={() => (ending = true)}
          >End day …</button
        >{/if}
      {#if run.last}<button class="button !min-h-tap" onclick={() => run.undo()}>Take back: {run.last.words}</button>{/if}
      {#each live.oddities.slice(-2) as o, nth (nth)}<span class="text-copper">! {o}</span>{/each}
      <span class="quiet ml-auto">The pilot in command and the maker's manual take precedence over every call.</span>
    </div>
  </div>
  <EndDay {run} bind:open={ending} onended={() => run.refresh()} />
{/if}

<style>
  .hatched {
    background: repeating-linear-gradient(-45deg, var(--ink) 0 2px, var(--paper) 2px 9px);
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
