<!-- Where a person begins: what flies, what comes next with its weather, what is due, and who waits for an answer. -->
<script lang="ts">
  import { clockIn } from '$shared/format/moments';
  import { call } from '$shared/api/call';
  import type { Schemas } from '$shared/api/client';
  import { callLine } from '$shared/format/calls';
  import { shortDate } from '$shared/format/dates';
  import { clock, dayName, hoursOf } from '$shared/format/units';
  import { resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import { GATE_FILL, GATE_WORDS } from '$shared/ui/Gate.svelte';
  import Setup from './Setup.svelte';

  type Running = NonNullable<Schemas['TodayOut']['running']>;
  type Coming = Schemas['ComingDay'];
  const AGAIN_MS = 60_000;
  const OWNERS = { pilot: 'pilot', handler: 'battery handler', lead: 'lead' } as const;
  const today = resource(() => call('GET', '/api/today'));
  $effect(() => {
    const again = setInterval(() => document.visibilityState === 'visible' && void today.load(), AGAIN_MS);
    return () => clearInterval(again);
  });
  // A handler comes for the packs, everybody else for what flies.
  const packsFirst = $derived(session.me?.role === 'handler');
  const opens = (r: Running) => ({ opens: clockIn(r.opens_at, r.time_zone), ...r });
  const when = (d: Coming) =>
    d.date === today.value?.date ? 'Today' : `${dayName(d.date).split(',')[0]!.split(' ')[0]}, ${shortDate(d.date)}`;
  const spanWords = (d: Coming) =>
    d.weather
      .filter((w) => w.word !== 'go')
      .map(
        (w) =>
          `${clock(d, w.start_s)}–${clock(d, w.end_s)} ${w.unknown ? 'no forecast' : `${GATE_WORDS[w.word].toLowerCase()}${w.reason ? `: ${w.reason}` : ''}`}`,
      );
</script>

<div class="mx-auto max-w-309 px-6 py-6">
  <h1 class="mb-4">{today.value ? dayName(today.value.date) : 'Today'}</h1>
  <Failed of={today} />
  {#if !today.value}{#if !today.problem}<p class="quiet" role="status">Looking at the day …</p>{/if}
  {:else}
    {@const t = today.value}
    <Setup steps={t.steps} onchanged={today.load} />
    <div class="grid grid-cols-[7fr_5fr] gap-8 max-tablet:grid-cols-1">
      <div class={packsFirst ? 'order-2' : ''}>
        {#if t.running}
          {@const r = t.running}
          <section class="mb-6 border-2 border-ink bg-sheet p-4" aria-label="Flying now" data-testid="running">
            <div class="flex flex-wrap items-baseline gap-x-4 gap-y-1">
              <h2 class="mr-auto text-head">{r.name}</h2>
              <span class="text-title">flying, ends {clock(opens(r), r.finish_s)}</span>
            </div>
            {#each r.alerts as a (a)}<p class="m-0 mt-2 bg-madder px-3 py-2 text-title text-sheet" role="alert">◆ {a}</p>{/each}
            <ul class="m-0 mt-2 list-none p-0">
              {#each r.calls as c (c.id)}<li class="grid grid-cols-[64px_1fr_auto] gap-3 border-b border-rule py-1.5">
                  <b class="tabular-nums">{clock(opens(r), c.at_s)}</b><span>{callLine(c)}</span><span class="quiet"
                    >{c.at_s <= r.now_s ? 'due: ' : ''}{OWNERS[c.owner]}</span>
                </li>{:else}<li class="quiet py-1.5">No call is open.</li>{/each}
            </ul>
            <a class="button dark mt-3" href="/days/{r.id}/live">Open Live</a>
          </section>
        {/if}
        <h2 class="mb-2 text-head">Next days</h2>
        {#each t.days as d (d.id)}
          <section class="mb-4 border-b border-rule pb-4" aria-label={d.name} data-testid="coming">
            <div class="flex flex-wrap items-baseline gap-x-3 gap-y-1">
              <b class="text-title">{when(d)}</b>
              <a class="text-title font-semibold break-words" href="/days/{d.id}">{d.name}</a>
              <span class="quiet ml-auto">{hoursOf(d)}</span>
            </div>
            <p class="m-0 mt-1">
              {d.sorties === null
                ? 'Not planned: open it to see why.'
                : `${d.sorties} sorties, last landing ${clock(d, d.finish_s ?? 0)}`}{d.jobs.length
                ? ` · ${d.jobs.join(', ')}`
                : ' · no job yet'}{d.crew.length ? ` · ${d.crew.join(', ')}` : ''}
            </p>
            {#if d.weather.length}
              <svg
                class="mt-2 block h-6 w-full border border-ink"
                viewBox="0 0 {d.length_s} 24"
                preserveAspectRatio="none"
                role="img"
                aria-label="Weather window of {d.name}: {spanWords(d).join('; ') || 'go all day'}">
                {#each d.weather as w (w.start_s)}<rect
                    x={w.start_s}
                    y="0"
                    width={w.end_s - w.start_s}
                    height="24"
                    fill={w.unknown
                      ? 'var(--paper-deep)'
                      : w.word === 'go'
                        ? 'var(--sheet)'
                        : `url(#${GATE_FILL[w.word]})`} />{/each}
              </svg>
              <p class="m-0 mt-1 text-small">
                {#each spanWords(d).slice(0, 3) as words (words)}<span class="block">{words}</span>{:else}Weather: go all day.{/each}
              </p>
            {:else if d.sorties !== null}<p class="quiet m-0 mt-1 text-small">No weather is known for it yet.</p>{/if}
          </section>
        {:else}
          <p class="quiet">No day is planned from today on.</p>
          {#if session.may('day:write')}<a class="button mb-6" href="/days/new">Make a day</a>{/if}
        {/each}
      </div>
      <div>
        <h2 class="mb-2 text-head">Needs an answer</h2>
        {@render list(t.answers, 'Nothing waits for an answer.')}
        <h2 class="mt-6 mb-2 text-head">Packs: care due</h2>
        {@render list(t.due, 'Nothing is due.')}
        {#if t.due_more}<a class="button plain mt-2" href="/packs">{t.due_more} more under Packs</a>{/if}
      </div>
    </div>
  {/if}
</div>

{#snippet list(items: Schemas['DueItem'][], empty: string)}
  <ul class="m-0 list-none p-0">
    {#each items as i (i.href + i.words)}<li class="border-b border-rule">
        <a class="flex min-h-touch flex-wrap items-center gap-x-3 py-1.5 text-ink no-underline hover:underline" href={i.href}
          ><b class="min-w-0 break-words">{i.urgent ? '! ' : ''}{i.words}</b><span class="quiet ml-auto">{i.reason}</span></a>
      </li>{:else}<li class="quiet">{empty}</li>{/each}
  </ul>
{/snippet}
