<!-- A day rehearsed: the section follows the simulated world; a fault is one tap; every call is answered as on a real day. -->
<script lang="ts">
  import Caller from '$features/live/components/Caller.svelte';
  import Debrief from '$features/live/components/Debrief.svelte';
  import { LiveState } from '$features/live/state/live.svelte';
  import { countdown, opensAt } from '$features/live/words/words';
  import { CourseState, drawnOf } from '$features/day/state/course.svelte';
  import Section from '$features/day/components/Section.svelte';
  import { call } from '$shared/api/call';
  import { type Schemas } from '$shared/api/client';
  import { ownerOf } from '$shared/device/outbox';
  import { clock } from '$shared/format/units';
  import { Resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import { help } from '$shared/ui/help.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import { RehearseState, SPEEDS } from './rehearse.svelte';
  import Start from './Start.svelte';

  let { id }: { id: string } = $props();
  // svelte-ignore state_referenced_locally
  const rehearsal = new RehearseState(id);
  // svelte-ignore state_referenced_locally
  const run = new LiveState(id, ownerOf(session.me ?? {}, id));
  // svelte-ignore state_referenced_locally
  const course = new CourseState(id, 4000);
  const faults = new Resource(() => call('GET', '/api/rehearsals/faults'));
  const kinds = $derived(faults.value ?? []);
  let chosen = $state('');
  let summary = $state.raw<Schemas['SummaryOut'] | null>(null);
  void rehearsal.load().then(async () => {
    if (rehearsal.mine) {
      void run.open();
      course.open();
    } else void faults.load();
  });
  $effect(() => () => {
    run.close();
    course.close();
  });

  const live = $derived(run.live);
  const mine = $derived(rehearsal.mine);
  const writable = $derived(session.may('day:run'));
  const opens = $derived(live ? opensAt(live) : '00:00');
  const names = $derived(Object.fromEntries((live?.aircraft ?? []).map((a) => [a.id!, a.name!])));
  let faster = $state(30);
  // What the server says of clock, faults and end follows every change that it tells of.
  $effect(() => {
    if (live?.revision) void rehearsal.refresh();
  });
  $effect(() => {
    if (mine?.speed) faster = mine.speed;
  });
  $effect(() => {
    if (mine?.closed && !summary)
      void call('GET', '/api/days/{day_id}/summary', { params: { path: { day_id: id } } }).then(({ data }) => (summary = data));
  });
  async function steer(change: Schemas['SteerIn']) {
    await rehearsal.steer(change);
    await run.refresh();
  }
  const toggle = () => void steer({ speed: mine?.speed ? 0 : faster });
  $effect(() =>
    help.offer(
      'rehearse',
      mine && !mine.closed ? [{ id: 'play', label: 'Let the clock run or stand', keys: 'Space / P', run: toggle }] : [],
    ),
  );
  interface Told {
    at: number;
    words: string;
    mark: string;
  }
  const told = $derived.by(() => {
    const found: Told[] = (live?.changes ?? []).map((c) => ({
      at: c.at_s,
      words: `${c.kept ? 'Times moved' : 'The plan answers'}: ${c.words}`,
      mark: c.kept ? '·' : '→',
    }));
    for (const f of mine?.faults ?? [])
      found.push({
        at: f.at_s,
        words: f.words + (f.struck ? '' : f.at_s > run.nowS ? ' (to come)' : ' (waits for something to strike)'),
        mark: '!',
      });
    return found.sort((a, b) => b.at - a.at);
  });
</script>

<svelte:head><title>Rehearse · Gentle Quarry</title></svelte:head>

{#if rehearsal.day}
  <Start state={rehearsal} {kinds} />
{:else if !mine || !live}
  <p class="quiet p-6" role="status">{rehearsal.problem?.detail ?? run.problem?.detail ?? 'Setting the day up …'}</p>
{:else}
  <div class="rehearsal border-b-line border-ink px-6 py-2">
    <div class="flex flex-wrap items-center gap-x-5 gap-y-2 bg-paper px-3 py-1">
      <span class="sharp text-head">Rehearsal</span>
      <a class="mr-auto" href="/days/{mine.of}">{live.name}</a>
      <span class="sharp text-large leading-none tabular-nums" data-testid="clock">{clock(opens, run.nowS)}</span>
      {#if !mine.closed && writable}
        <button class="button dark min-w-31" onclick={toggle}
          ><span aria-hidden="true">{mine.speed ? '❚❚' : '▶'}</span> {mine.speed ? 'Pause' : 'Play'}</button>
        <div class="flex" role="group" aria-label="Speed">
          {#each SPEEDS as s (s)}<button
              class="button !rounded-none !px-3"
              aria-pressed={(mine.speed || faster) === s}
              onclick={() => ((faster = s), void steer({ speed: s }))}>{s}×</button
            >{/each}
        </div>
        <button class="button" onclick={() => steer({ by_hand: !mine.by_hand })}
          >{mine.by_hand ? 'Let a crew answer' : 'Answer by hand'}</button>
        <a class="button" href="/days/{id}/live">As Live</a>
      {:else if mine.closed}<span class="font-semibold">over</span>
        <a class="button dark" href="/days/{mine.of}/rehearse">Rehearse again</a>{/if}
    </div>
  </div>
  {#each live.alerts as a (a.key)}
    <div
      class="flex items-center gap-4 px-6 py-1.5 {a.grade === 'now'
        ? 'bg-madder text-sheet'
        : 'border-b border-copper bg-wash-copper'}"
      role="alert">
      <span aria-hidden="true">{a.grade === 'now' ? '◆' : '!'}</span><b class="text-title">{a.words}</b>
      <span class="ml-auto text-small">{a.reason}, limit {a.limit}, {a.owner}</span>
    </div>
  {/each}
  <div class="grid grid-cols-[minmax(0,1fr)_336px] max-narrow:grid-cols-1">
    <div class="min-w-0 px-6 py-4">
      {#if course.course}
        <Section
          day={typeof opens === 'string' ? { opens } : opens}
          plan={drawnOf(course.course)}
          now={live.closed ? null : course.course.now_s}
          ghosts={course.course.ghosts}
          bind:chosen />
      {:else}<p class="quiet" role="status">Drawing the day …</p>{/if}
    </div>
    <aside class="bg-sheet" aria-label="Call, faults, what happened">
      {#if mine.closed}
        <div class="px-4 py-4">
          {#if summary}<Debrief {summary} {opens} better={mine.better} {names} />
            {#if !mine.better}<p class="quiet m-0 mt-3" role="status">
                Being played again with every call answered at once …
              </p>{/if}
          {:else}<p class="quiet" role="status">Looking back …</p>{/if}
        </div>
      {:else}
        {#if mine.by_hand}<Caller
            {run}
            {live}
            {writable}
            compact
            onignored={() => notices.say('The call changed just then: tap again')}
            onclosed={() => rehearsal.refresh()} />
        {:else}<p class="m-0 px-4 py-4">
            A simulated crew answers every call within half a minute. Next:
            {#if live.calls[0]}<b>{clock(opens, live.calls[0].at_s)}</b>, in {countdown(
                live.calls[0].at_s - run.nowS,
              )}{:else}nothing{/if}.
          </p>{/if}
        {#if writable}<section class="border-t-line border-ink px-4 py-3" aria-label="Let something go wrong">
            <h2 class="!text-lead">Let something go wrong</h2>
            <div class="mt-2 flex flex-wrap gap-1.5">
              {#each mine.can as f (f.kind)}<button class="button small" title={f.words} onclick={() => rehearsal.fault(f.kind)}
                  >{f.kind.replaceAll('_', ' ')}</button
                >{/each}
            </div>
            {#if rehearsal.problem}<p class="problem m-0 mt-2" role="alert">{rehearsal.problem.detail}</p>{/if}
          </section>{/if}
      {/if}
      <section class="border-t-line border-ink px-4 py-3" aria-label="What happened" data-testid="told">
        <h2 class="!text-lead">Faults, and how the plan answered</h2>
        <ol class="m-0 mt-1 list-none p-0 text-small">
          {#each told as t, k (k)}<li class="grid grid-cols-[48px_16px_1fr] border-b border-rule py-1.5">
              <b class="tabular-nums">{clock(opens, t.at)}</b><span class={t.mark === '!' ? 'text-madder' : ''}>{t.mark}</span
              ><span>{t.words}</span>
            </li>
          {:else}<li class="quiet py-1.5">Nothing has gone wrong, and the plan is as it was.</li>{/each}
        </ol>
      </section>
    </aside>
  </div>
{/if}

<style>
  /* Nobody takes this for a real day: its head is hatched. */
  .rehearsal {
    background: repeating-linear-gradient(-45deg, var(--ink) 0 2px, var(--paper) 2px 9px);
  }
</style>
