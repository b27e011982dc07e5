<!-- What cannot wait has a place of its own: always as high, so that nothing below it moves under a finger. -->
<script lang="ts">
  import { clock } from '$shared/format/units';
  import { backsOf } from '../words/calls';
  import type { LiveState } from '../state/live.svelte';
  import { countdown, opensAt, type Live } from '../words/words';

  let { run, live, writable }: { run: LiveState; live: Live; writable: boolean } = $props();
  const at = (s: number) => clock(opensAt(live), s);
  const backs = $derived(backsOf(run, live));
  const told = $derived([
    ...run.refused.map((r) => `Not taken: ${r.detail}`),
    ...(run.problem ? [run.problem.detail] : []),
    ...(live.problem && !live.closed ? [live.problem] : []),
  ]);
  const grave = $derived(live.alerts.filter((a) => a.grade === 'now'));
  const others = $derived(live.alerts.filter((a) => a.grade !== 'now'));
  /** How long it can still be flown, and the nearest place to land. */
  const downOf = (a: Live['alerts'][number]) =>
    [a.left_s == null ? '' : `${countdown(a.left_s)} left`, a.place ? `nearest: ${a.place}` : ''].filter(Boolean).join(' · ');
  const count = $derived(backs.length + live.alerts.length + live.questions.length + told.length);
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div
  class="place relative h-39 min-w-0 shrink-0 max-phone:h-26 overflow-y-auto border-y-2 {count
    ? 'border-ink'
    : 'border-dashed border-rule'}"
  role="region"
  aria-label="Alerts"
  tabindex={count > 2 ? 0 : undefined}
  data-testid="alerts">
  {#each grave as a (a.key)}
    <div class="row bg-madder text-sheet" role="alert" data-testid="alert">
      <span aria-hidden="true" class="text-page">◆</span>
      <span class="min-w-0"
        ><span class="sharp block text-page leading-tight">{a.words}</span>{#if downOf(a)}<span
            class="sharp block text-lead tabular-nums">{downOf(a)}</span
          >{/if}</span>
      <span class="ml-auto text-right text-body">{a.reason}<br />{a.limit ? `limit ${a.limit}, ` : ''}{a.owner}</span>
    </div>
  {/each}
  {#each backs as b (b.id)}
    <div class="row bg-madder text-sheet" data-testid="back">
      <span aria-hidden="true" class="text-page">◆</span>
      <span class="sharp min-w-0 text-page leading-tight">Turn back {b.flight} by {at(b.at_s)}</span>
      <span class="sharp ml-auto text-page tabular-nums">{countdown(b.at_s - run.nowS)}</span>
    </div>
  {/each}
  {#each live.questions as q (q.about)}
    <div class="row bg-wash-heather" role="alert" data-testid="question">
      <p class="m-0 min-w-0 flex-1 text-lead"><b>Which is right?</b> {q.words}</p>
      {#each q.keys as k, n (k)}<button
          class="button !min-h-tap"
          disabled={!writable}
          onclick={() => run.tap({ kind: 'answer', figures: { of: q.about, stands: k } }, 'answered')}
          >{n === 0 ? 'First account' : 'Second account'}</button
        >{/each}
    </div>
  {/each}
  {#each told as words, nth (nth)}<p class="row problem m-0 text-lead" role="alert">{words}</p>{/each}
  {#each others as a (a.key)}
    <div class="row bg-wash-copper" role="alert" data-testid="alert">
      <span aria-hidden="true" class="text-page">!</span>
      <span class="min-w-0"
        ><span class="sharp block text-page leading-tight">{a.words}</span>{#if downOf(a)}<span
            class="block text-lead tabular-nums">{downOf(a)}</span
          >{/if}</span>
      <span class="ml-auto text-right text-body">{a.reason}<br />{a.limit ? `limit ${a.limit}, ` : ''}{a.owner}</span>
    </div>
  {/each}
  {#if !count}<p class="quiet m-0 grid h-full place-items-center text-lead">No alerts.</p>{/if}
  {#if count > 2}<p class="sticky bottom-0 m-0 bg-ink px-3 text-right text-small text-sheet">{count} in all: scroll</p>{/if}
</div>

<style>
  .row {
    display: flex;
    min-height: 66px;
    align-items: center;
    gap: 14px;
    padding: 4px 16px;
    border-bottom: 1px solid var(--rule);
  }
  @media (max-width: 640px) {
    .row {
      flex-wrap: wrap;
    }
    .row[data-testid='alert'] > span:nth-child(2) {
      flex: 1 1 0;
    }
    .row[data-testid='alert'] > span:nth-child(3) {
      flex-basis: 100%;
      text-align: left;
    }
  }
</style>
