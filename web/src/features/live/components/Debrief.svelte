<!-- After the last landing: how it went, what was waited for, what was risky, what better answers would have given. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';
  import { clock, hours, type Opening } from '$shared/format/units';

  interface Props {
    summary: Schemas['SummaryOut'];
    opens: Opening;
    better?: Schemas['BetterOut'] | null;
    names?: Record<string, string>;
  }
  let { summary, opens, better = null, names = {} }: Props = $props();
  const sorties = (n: number) => `${n} sortie${n === 1 ? '' : 's'}`;
  const SHORT_S = 120;
  const rows = $derived(
    [
      { words: 'as planned before the day', at: summary.planned_s, how: 'the plan it began under' },
      {
        words: 'as flown',
        at: summary.flown_s,
        how: `${sorties(summary.sorties)}, those flown on from an early return counted each`,
      },
      { words: 'with hindsight', at: summary.hindsight_s, how: 'a plan that had known how long each sortie takes' },
      {
        words: 'same faults, every call answered at once',
        at: better?.prompt_s ?? null,
        how: `played again from the same seed by a simulated crew: ${sorties(better?.prompt_sorties ?? 0)}`,
      },
      {
        words: 'nothing goes wrong',
        at: better?.calm_s ?? null,
        how: `played again from the same seed without faults: ${sorties(better?.calm_sorties ?? 0)}`,
      },
    ].filter((r) => r.at !== null),
  );
  const first = $derived(Math.min(...rows.map((r) => r.at!)) - 600);
  const span = $derived(Math.max(...rows.map((r) => r.at!)) - first || 1);
  const packs = $derived(summary.waits.filter((w) => w.reason === 'pack'));
  const long = $derived(packs.filter((w) => w.to_s - w.from_s > SHORT_S));
  const lost = $derived(packs.reduce((s, w) => s + w.to_s - w.from_s, 0));
  const cost = $derived(
    better?.prompt_s && summary.flown_s && better.prompt_sorties === summary.sorties ? summary.flown_s - better.prompt_s : 0,
  );
</script>

<section aria-label="Debrief" data-testid="debrief">
  <h2 class="!text-head">Last landing</h2>
  {#each rows as r (r.words)}
    <div class="grid grid-cols-[64px_1fr] items-baseline gap-3 border-b border-rule py-1.5" title={r.how}>
      <b class="sharp text-head tabular-nums">{clock(opens, r.at!)}</b>
      <span>
        <span class="block text-small">{r.words}</span>
        <span class="mt-1 block h-2 border-l border-ink"
          ><span
            class="block h-full {r.words === 'as flown' ? 'bg-ink' : 'bg-heather'}"
            style="width: {Math.max(2, ((r.at! - first) / span) * 100)}%"></span
          ></span>
        <span class="quiet block text-note">{r.how}</span>
      </span>
    </div>
  {/each}
  {#if cost > 90}<p class="m-0 mt-2"><b>{hours(cost)}</b> went to calls that were answered late or out of order.</p>
  {:else if cost && better}<p class="m-0 mt-2">Nothing was lost to late answers.</p>{/if}
  <h2 class="mt-4 !text-title">Waits for packs: {hours(lost)}</h2>
  {#each long as w (w.flight)}<p class="m-0 border-b border-rule py-1 text-small">
      {names[w.aircraft] ?? w.aircraft} stood {hours(w.to_s - w.from_s)} before {w.flight}, from {clock(opens, w.from_s)}
    </p>
  {:else}<p class="quiet m-0 py-1 text-small">No aircraft waited long for a pack.</p>{/each}
  {#if packs.length > long.length}<p class="quiet m-0 py-1 text-small">
      {packs.length - long.length} more of two minutes at the most.
    </p>{/if}
  <h2 class="mt-4 !text-title">Risky moments</h2>
  {#each summary.risky as r, nth (nth)}<p class="m-0 border-b border-rule py-1 text-small"><b class="text-copper">!</b> {r}</p>
  {:else}<p class="quiet m-0 py-1 text-small">None: every sortie kept its reserve.</p>{/each}
</section>
