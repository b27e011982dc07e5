<!-- What is to be rehearsed: who answers the calls, how fast, what goes wrong and when; and what was rehearsed before. -->
<script lang="ts">
  import { shortDate } from '$shared/format/dates';
  import { clockOf } from '$shared/format/units';
  import { goto } from '$app/navigation';
  import { clock, secondsOf } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import { SPEEDS, spread, type Line, type RehearseState } from './rehearse.svelte';

  let { state: rehearsal, kinds }: { state: RehearseState; kinds: { kind: string; words: string }[] } = $props();
  const day = $derived(rehearsal.day!.day);
  const plan = $derived(rehearsal.day!.plan);
  const writable = $derived(session.may('day:run'));
  let byHand = $state(true);
  let speed = $state(30);
  let seed = $state(1 + Math.floor(Math.random() * 9999));
  let chosen = $state<{ kind: string; at: string }[]>([]);
  const finish = $derived(plan?.finish_s ?? 14_400);

  function choose(kind: string) {
    const there = chosen.some((c) => c.kind === kind);
    const next = there ? chosen.filter((c) => c.kind !== kind) : [...chosen, { kind, at: '' }];
    chosen = next.map((c, k) => ({ ...c, at: clock(day.opens, spread(next.length, k, finish)) }));
  }
  async function begin(e: SubmitEvent) {
    e.preventDefault();
    const faults = chosen.map((c) => ({
      kind: c.kind,
      at_s: (secondsOf(c.at) - secondsOf(day.opens) + 86_400) % 86_400,
      about: '',
      length_s: 1200,
    }));
    const made = await rehearsal.begin({ by_hand: byHand, speed, seed, faults });
    if (made) await goto(`/days/${made.id}/rehearse`);
  }
  async function away(l: Line) {
    if (await rehearsal.putAway(l.id)) notices.say('Rehearsal archived', { undo: () => void rehearsal.putAway(l.id, true) });
  }
  const when = (iso: string) => `${shortDate(iso)}, ${clockOf(iso)}`;
  const nameOf = (kind: string) => kind.replaceAll('_', ' ');
</script>

<div class="mx-auto max-w-337 px-6 py-5">
  <h1 class="!text-page">Rehearse {day.name}</h1>
  <p class="quiet mb-5 mt-1 max-w-[70ch]">
    The planned day in a simulated world, with its aircraft, chargers and weather. It runs as a real day does, and nothing of it
    goes to the records of packs.
  </p>
  {#if !plan}<p class="problem" role="alert">{rehearsal.day!.problem?.detail ?? 'This day has no plan yet.'}</p>{/if}
  <form class="grid grid-cols-[300px_minmax(0,1fr)] gap-8 max-tablet:grid-cols-1" onsubmit={begin}>
    <div class="flex flex-col gap-5">
      <fieldset class="m-0 border-0 p-0">
        <legend class="mb-1.5 font-semibold">Who answers the calls</legend>
        <div class="grid grid-cols-2 gap-2">
          <button type="button" class="button" aria-pressed={byHand} onclick={() => (byHand = true)}>I tap them</button>
          <button type="button" class="button" aria-pressed={!byHand} onclick={() => (byHand = false)}>A crew does</button>
        </div>
      </fieldset>
      <fieldset class="m-0 border-0 p-0">
        <legend class="mb-1.5 font-semibold">How fast</legend>
        <div class="flex flex-wrap gap-2">
          {#each SPEEDS as s (s)}<button type="button" class="button" aria-pressed={speed === s} onclick={() => (speed = s)}
              >{s}×</button
            >{/each}
        </div>
        <p class="quiet m-0 mt-1.5 text-small">
          The planned day takes {Math.max(1, Math.round(finish / 60 / speed))} min at this speed. It can be changed and stopped on the
          way.
        </p>
      </fieldset>
      <label class="font-semibold"
        >Seed <span class="quiet font-normal">the same seed gives the same day</span>
        <input class="input mt-1 !w-40" type="number" min="0" max="1000000" bind:value={seed} /></label>
      {#if rehearsal.problem}<p class="problem m-0" role="alert">{rehearsal.problem.detail}</p>{/if}
      <button class="button dark !min-h-tap !text-head" disabled={!plan || !writable || rehearsal.busy}>Begin</button>
    </div>
    <fieldset class="m-0 border-0 p-0">
      <legend class="mb-1.5 font-semibold">What goes wrong</legend>
      <ul class="m-0 list-none p-0">
        {#each kinds as k (k.kind)}
          {@const mine = chosen.find((c) => c.kind === k.kind)}
          <li class="grid min-h-12.5 grid-cols-[1fr_130px] items-center gap-3 border-b border-rule">
            <label class="flex items-center gap-3"
              ><input type="checkbox" class="size-5" checked={!!mine} onchange={() => choose(k.kind)} />
              <span>{k.words}</span></label>
            {#if mine}<label class="flex items-center gap-2 text-small"
                >at <input
                  class="input !w-24"
                  maxlength="5"
                  pattern="[0-2][0-9]:[0-5][0-9]"
                  aria-label="When: {nameOf(k.kind)}"
                  bind:value={mine.at} /></label
              >{/if}
          </li>
        {/each}
      </ul>
      <p class="quiet m-0 mt-1.5 text-small">
        A fault strikes at its time, or as soon as there is something for it to strike. More can be thrown in on the way.
      </p>
    </fieldset>
  </form>
  <section class="mt-8 border-t-line border-ink pt-3" aria-label="Rehearsed before">
    <h2>Rehearsed before</h2>
    <ul class="m-0 list-none p-0">
      {#each rehearsal.lines ?? [] as l (l.id)}
        <li class="flex min-h-12.5 flex-wrap items-center gap-4 border-b border-rule">
          <a class="font-semibold" href="/days/{l.id}/rehearse">{when(l.started_at)}</a>
          <span>{l.by}, {l.by_hand ? 'by hand' : 'simulated crew'}, seed {l.seed}</span>
          <span class="quiet mr-auto">{l.faults.map(nameOf).join(', ') || 'nothing went wrong'}</span>
          <span>{l.closed ? 'over' : `at ${clock(day.opens, l.now_s)}`}</span>
          {#if writable}<button class="button plain small" onclick={() => away(l)}>Archive</button>{/if}
        </li>
      {:else}<li class="quiet py-3">
          {rehearsal.lines ? 'Nothing yet. The first rehearsal will be listed here.' : 'Looking …'}
        </li>{/each}
    </ul>
  </section>
</div>
