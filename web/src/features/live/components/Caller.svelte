<!-- The next call: as large as the screen allows, one big answer, three other things that may have happened. -->
<script lang="ts">
  import { clock } from '$shared/format/units';
  import { help } from '$shared/ui/help.svelte';
  import { nextOf } from '../words/calls';
  import { ofEarly, ofEmergency, type Doing } from '../words/doings';
  import Doings from './Doings.svelte';
  import Landing from './Landing.svelte';
  import type { LiveState } from '../state/live.svelte';
  import {
    answerWords,
    callLine,
    callLines,
    countdown,
    insteadOf,
    moreOf,
    opensAt,
    tapOf,
    type Call,
    type Instead,
    type Live,
  } from '../words/words';

  interface Props {
    run: LiveState;
    live: Live;
    writable: boolean;
    /** Beside a section: smaller, for a desk. */
    compact?: boolean;
    /** A tap was not taken, because the call had only just come. */
    onignored: () => void;
    onclosed?: () => void;
    /** A spray record lacks something: the day cannot be closed by one tap. */
    onlacks?: () => void;
  }
  let { run, live, writable, compact = false, onignored, onclosed, onlacks }: Props = $props();
  /** After “still flying” or “not full” a call stays away for so long. */
  const AGAIN_S = 120;
  let asking = $state.raw<Doing | null>(null);
  const landing = $derived(run.landing);
  let closing = $state(false);
  const at = (s: number) => clock(opensAt(live), s);
  const next = $derived(nextOf(run, live));
  const lines = $derived(next ? callLines(next) : null);
  const longest = $derived(Math.max(0, ...(lines ?? []).flatMap((l) => l.split(' ')).map((w) => w.length)));
  const left = $derived(next ? next.at_s - run.nowS : 0);
  const instead = $derived(next && next.kind !== 'emergency' ? insteadOf(next, run.nowS, live) : []);
  const more = $derived(next ? moreOf(next, live) : null);
  // A call that takes another's place must not take the tap that was meant for that one.
  const STILL_MS = 400;
  let came = 0;
  $effect(() => {
    void next?.id;
    void landing;
    came = performance.now();
  });
  function settled() {
    const still = performance.now() - came >= STILL_MS;
    if (!still) onignored();
    return still;
  }
  const flightOf = (name: string) => live.flights.find((f) => f.id === name);

  function answer(c: Call) {
    if (!settled()) return;
    if (c.kind === 'land') run.land(c.flight);
    else if (c.kind === 'emergency') run.land(c.flight, true);
    else if (c.kind === 'close') void close();
    else {
      asking = ofEarly(c, run.nowS, live);
      const t = asking ? null : tapOf(c);
      if (t) void run.tap(t, callLine(c), c.id);
    }
  }
  function other(c: Call, i: Instead) {
    if (!settled()) return;
    if (i.tap) void run.tap(i.tap, i.words, i.tap.kind === 'note' ? c.id : '', AGAIN_S);
    else run.land(c.flight, true);
  }
  async function close() {
    closing = true;
    if (await run.finish()) onclosed?.();
    else if (run.problem?.code === 'record_lacks') onlacks?.();
    closing = false;
  }
  $effect(() =>
    help.offer('call', [
      { id: 'did', label: 'It happened', keys: 'Enter', run: () => next && !landing && answer(next) },
      { id: 'take-back', label: 'Take back the last tap', keys: 'U', run: () => run.undo() },
    ]),
  );
</script>

<section class="bg-sheet {compact ? 'px-4 py-3' : 'px-6 py-5'}" aria-label="Next call" data-testid="call">
  {#if landing && flightOf(landing.flight)}
    <h1 class="!mb-3 {compact ? '!text-page' : '!text-large'}">{landing.flight} is down{landing.early ? ', early' : ''}</h1>
    <Landing
      flight={flightOf(landing.flight)!}
      early={landing.early}
      expected={flightOf(landing.flight)!.expected_frac}
      heard={live.telemetry.find((t) => t.flight === landing!.flight) ?? null}
      gap={live.gap_frac}
      {compact}
      ontap={(t, words) => {
        void run.tap(t, words, `land:${landing!.flight}`);
        run.landing = null;
      }}
      oncancel={() => (run.landing = null)} />
  {:else if next && lines}
    <div class="flex items-end justify-between gap-x-6 max-phone:gap-x-2">
      <div class="min-w-0">
        <div class="quiet {compact ? 'text-body' : 'text-head'}">
          {left < 0 ? 'Due since' : run.chosen === next.id ? 'Chosen, due at' : 'Next, at'}
          {at(next.at_s)}
          {#if run.chosen === next.id}<button class="button small plain" onclick={() => (run.chosen = '')}
              >Back to next call</button
            >{/if}
        </div>
        <h1
          class="!my-1 [overflow-wrap:anywhere] {compact
            ? '!text-page !leading-[1.1]'
            : longest > 18
              ? '!text-page !leading-tight'
              : longest > 12
                ? '!text-large !leading-tight'
                : '!text-[clamp(36px,8vw,70px)] !leading-[1.02]'}">
          {lines[0]} <br />{lines[1]}
        </h1>
      </div>
      <div
        class="sharp leading-none tabular-nums {compact ? 'text-call' : 'text-[clamp(44px,15vw,132px)]'} {left < 0
          ? 'text-madder'
          : ''}"
        data-testid="countdown"
        aria-label="{countdown(left)} {left < 0 ? 'overdue' : 'to go'}">
        {left < 0 ? '+' : ''}{countdown(left)}
      </div>
    </div>
    <div class="mt-1 overflow-hidden {compact ? 'h-15.5 text-small leading-[18px]' : 'h-13.5 text-lead leading-[24px]'}">
      {next.why}{#if next.missed}; {next.missed}{/if}.
    </div>
    <button
      class="button dark mt-4 w-full {compact ? '!min-h-tap-large !text-page' : '!min-h-35 !text-call max-phone:!min-h-24'}"
      disabled={!writable || closing}
      onclick={() => answer(next)}
      data-testid="answer"><span aria-hidden="true">✓</span> {answerWords(next)}</button>
    {#if more}<a class="button mt-3 w-full {compact ? '' : '!min-h-tap-large !text-head'}" href={more.href}>{more.words}</a>{/if}
    <div class="mt-3 grid grid-cols-3 {compact ? 'gap-1.5' : 'gap-3'}">
      {#if next.kind === 'emergency'}{#each ofEmergency(next) as d (d.words)}<button
            class="button flex-col !gap-0 {compact ? '!min-h-tap !px-1.5' : '!min-h-tap-call'}"
            disabled={!writable}
            onclick={() => settled() && (d.ask ? (asking = d) : void run.tap(d.tap, d.words))}
            ><span class={compact ? 'text-body' : 'text-head'}>{d.words}</span><span
              class="font-normal {compact ? 'text-note' : 'text-lead'}">{d.then}</span
            ></button
          >{/each}{/if}
      {#each instead as i (i.words)}<button
          class="button flex-col !gap-0 {compact ? '!min-h-tap !px-1.5' : '!min-h-tap-call'}"
          disabled={!writable}
          onclick={() => other(next, i)}
          ><span class={compact ? 'text-body' : 'text-head'}>{i.words}</span><span
            class="font-normal {compact ? 'text-note' : 'text-lead'}">{i.then}</span
          ></button
        >{/each}
    </div>
  {:else}
    <h1 class={compact ? '!text-page' : '!text-call'}>{live.closed ? 'The day is closed' : 'Nothing to do now'}</h1>
  {/if}
</section>
<Doings {run} about={null} {asking} onclose={() => (asking = null)} />
