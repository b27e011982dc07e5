<!-- Hours, flights, cycles, hectares and litres, by month, person, aircraft, pack or job; to hand in as CSV or PDF. -->
<script lang="ts">
  import { MONTHS, partsOfDate } from '$shared/format/moments';
  import { page as route } from '$app/state';
  import { call } from '$shared/api/call';
  import { type Schemas } from '$shared/api/client';
  import { digits, show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import { today } from './words/book';
  import Seasons from './components/Seasons.svelte';
  import LogbookNav from './components/LogbookNav.svelte';

  type By = NonNullable<Schemas['TotalsOut']['by']>;
  const asked = route.url.searchParams;
  let totals = $state.raw<Schemas['TotalsOut'] | null>(null);
  let failed = $state('');
  let begins = $state(asked.get('from') ?? `${today().slice(0, 4)}-01-01`);
  let ends = $state(asked.get('to') ?? '');
  let by = $state<By>((asked.get('by') as By) ?? 'month');
  const BY: { id: By; label: string }[] = [
    { id: 'month', label: 'Month' },
    { id: 'season', label: 'Season' },
    { id: 'person', label: 'Person' },
    { id: 'aircraft', label: 'Aircraft' },
    { id: 'model', label: 'Model' },
    { id: 'firmware', label: 'Firmware' },
    { id: 'pack', label: 'Pack' },
    { id: 'job', label: 'Job' },
    { id: 'warning', label: 'Warning' },
    { id: 'landing', label: 'Landing' },
  ];
  let turn = 0;
  async function load() {
    const mine = ++turn;
    const { data, problem } = await call('GET', '/api/logbook/totals', {
      params: { query: { begins: begins || undefined, ends: ends || undefined, by } },
    });
    if (mine !== turn) return;
    failed = problem?.detail ?? '';
    if (data) totals = data;
  }
  $effect(() => {
    void [begins, ends, by];
    void load();
    const url = new URL(route.url);
    for (const [k, v] of Object.entries({ from: begins, to: ends, by }))
      if (v) url.searchParams.set(k, v);
      else url.searchParams.delete(k);
    history.replaceState(history.state, '', url);
  });
  const query = $derived(`?by=${by}${begins ? `&begins=${begins}` : ''}${ends ? `&ends=${ends}` : ''}`);
  const most = $derived(Math.max(1, ...(totals?.rows.map((r) => r.flown_s) ?? [1])));
  const inHours = (s: number) => digits(s / 3600, 1);
  function monthName(name: string): string {
    const { year, month } = partsOfDate(name);
    return `${MONTHS[month - 1]} ${year}`;
  }
  const nameOf = (name: string) => (totals?.by === 'month' ? monthName(name) : name);
</script>

<div class="px-6 py-5">
  <LogbookNav title="Totals and returns" />
  <div class="mb-4 flex flex-wrap items-end gap-3">
    <div class="w-43"><TextField label="from" type="date" live value={begins} onchange={(v) => (begins = v)} /></div>
    <div class="w-43"><TextField label="to" type="date" live value={ends} onchange={(v) => (ends = v)} /></div>
    <div class="flex flex-wrap" role="group" aria-label="By">
      {#each BY as b (b.id)}<button class="button plain" aria-pressed={by === b.id} onclick={() => (by = b.id)}>{b.label}</button
        >{/each}
    </div>
    <span class="ml-auto flex gap-2">
      <a class="button" href="/api/logbook/totals.csv{query}" download>CSV</a>
      <a class="button dark" href="/api/logbook/totals.pdf{query}" download>Return as PDF</a>
    </span>
  </div>
  {#if failed}<p class="problem mb-3" role="alert">{failed} <button class="button" onclick={load}>Try again</button></p>{/if}
  {#if !totals}
    {#if !failed}<p class="quiet" role="status">Adding up …</p>{/if}
  {:else if !totals.rows.length}
    <p class="rounded border-line border-dashed border-rule bg-sheet px-8 py-12 text-center">Nothing was flown in this time.</p>
  {:else}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div class="overflow-x-auto" tabindex="0" role="region" aria-label="Totals">
      <table class="sheet-table bg-sheet" data-testid="totals">
        <thead
          ><tr
            ><th>{BY.find((b) => b.id === totals!.by)?.label.toLowerCase()}</th><th class="!text-right">flights</th><th
              class="!text-right">hours</th
            ><th class="w-[24%]"><span class="visually-hidden">share</span></th><th class="!text-right">longest, min</th><th
              class="!text-right">cycles</th
            ><th class="!text-right">ground</th><th class="!text-right">spread</th><th class="!text-right">with a log</th><th
              class="!text-right">with a warning</th
            ><th class="!text-right">landed early</th></tr
          ></thead>
        <tbody>
          {#each totals.rows as r (r.name)}
            <tr class="hover:bg-paper-deep">
              <td class="min-w-27 font-semibold">{nameOf(r.name)}</td>
              <td class="text-right">{digits(r.flights)}</td>
              <td class="text-right">{inHours(r.flown_s)}</td>
              <td
                ><svg width="100%" height="12" aria-hidden="true"
                  ><rect width="{(100 * r.flown_s) / most}%" height="12" fill="var(--ink-2)" /></svg
                ></td>
              <td class="text-right">{digits(r.longest_s / 60, 1)}</td>
              <td class="text-right">{digits(r.cycles, 1)}</td>
              <td class="text-right">{r.hectares >= 0.05 ? show(r.hectares, 'ha', session.units) : '—'}</td>
              <td class="text-right">{r.litres ? show(r.litres, 'l', session.units) : '—'}</td>
              <td class="text-right">{digits(r.with_log)}</td>
              <td class="text-right">{r.with_log ? digits(r.warned) : '—'}</td>
              <td class="text-right">{digits(r.early)}</td>
            </tr>
          {/each}
        </tbody>
        <tfoot>
          <tr class="font-semibold">
            <td class="border-t-line !border-ink">all, each flight once</td>
            <td class="border-t-line !border-ink text-right">{digits(totals.sum.flights)}</td>
            <td class="border-t-line !border-ink text-right" data-testid="all-hours">{inHours(totals.sum.flown_s)}</td>
            <td class="border-t-line !border-ink"></td>
            <td class="border-t-line !border-ink text-right">{digits(totals.sum.longest_s / 60, 1)}</td>
            <td class="border-t-line !border-ink text-right">{digits(totals.sum.cycles, 1)}</td>
            <td class="border-t-line !border-ink text-right">{show(totals.sum.hectares, 'ha', session.units)}</td>
            <td class="border-t-line !border-ink text-right">{show(totals.sum.litres, 'l', session.units)}</td>
            <td class="border-t-line !border-ink text-right">{digits(totals.sum.with_log)}</td>
            <td class="border-t-line !border-ink text-right">{digits(totals.sum.warned)}</td>
            <td class="border-t-line !border-ink text-right">{digits(totals.sum.early)}</td>
          </tr>
        </tfoot>
      </table>
    </div>
    <p class="quiet mt-2 max-w-234 text-note">
      A cycle is one full charge used up: shares of the charge taken out, added up over packs. Packs that fly together each have
      the flight. Ground and litres as planned for each sortie, and recorded by the crew. What an authority or insurer wants takes
      precedence over this sheet: check its form. Landed early: more than a minute and 15 % before its planned time.
    </p>
    {#if totals.months.length}<Seasons months={totals.months} />{/if}
  {/if}
</div>
