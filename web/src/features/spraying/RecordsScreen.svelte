<!-- Spray records: by text, product and season; as a table with the columns that an authority asks for, and as pages. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { call } from '$shared/api/call';
  import { download } from '$shared/api/download';
  import type { Schemas } from '$shared/api/client';
  import { shortDate } from '$shared/format/dates';
  import { show } from '$shared/format/units';
  import { Resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import { notices } from '$shared/ui/notices.svelte';

  let search = $state('');
  let product = $state('');
  let season = $state('');
  const KEPT = 'spray-record-columns';
  let columns = $state<string[]>(JSON.parse(localStorage.getItem(KEPT) ?? '[]') as string[]);
  const lines = new Resource<Schemas['RecordLines']>(() =>
    call('GET', '/api/spray-records', { params: { query: { search, product, season } } }),
  );
  $effect(() => {
    void [search, product, season];
    void lines.load();
  });
  const known = $derived(lines.value?.columns ?? []);
  const chosen = $derived(columns.filter((c) => known.some(([key]) => key === c)));
  function turn(key: string, on: boolean) {
    const all = chosen.length ? chosen : known.map(([k]) => k);
    columns = known.map(([k]) => k).filter((k) => (k === key ? on : all.includes(k)));
    localStorage.setItem(KEPT, JSON.stringify(columns));
  }
  async function save(form: 'csv' | 'pdf') {
    const asked = [
      ['search', search],
      ['product', product],
      ['season', season],
      ...(form === 'csv' ? chosen.map((c) => ['columns', c]) : []),
    ];
    const query = asked.map(([key, value]) => `${key}=${encodeURIComponent(value!)}`).join('&');
    const failed = await download(`/api/spray-records.${form}?${query}`);
    if (failed) notices.say(failed, { bad: true });
  }
  const numberOf = (n: number) => (n ? String(n).padStart(4, '0') : '—');
</script>

<svelte:head><title>Spray records · Gentle Quarry</title></svelte:head>

<div class="mx-auto max-w-354 px-6 py-5 max-hand:px-4">
  <div class="mb-3 flex flex-wrap items-end gap-3">
    <h1 class="mr-auto">Spray records</h1>
    <a class="button" href="/logbook">Logbook</a>
    <a class="button" href="/store">Store</a>
    <button class="button" disabled={!lines.value?.items.some((r) => r.closed)} onclick={() => save('csv')}>CSV</button>
    <button class="button dark" disabled={!lines.value?.items.some((r) => r.closed)} onclick={() => save('pdf')}>PDF</button>
  </div>
  <div class="mb-3 flex flex-wrap items-end gap-3">
    <div class="w-60"><TextField label="Job, field, crop or operator" live value={search} onchange={(v) => (search = v)} /></div>
    <div class="w-48"><TextField label="Product" live value={product} onchange={(v) => (product = v)} /></div>
    <div class="w-40">
      <Choice
        label="Season"
        stacked
        value={season}
        empty="all"
        options={(lines.value?.seasons ?? []).map((s) => ({ value: s, label: s }))}
        onchange={(v) => (season = v)} />
    </div>
    <details class="relative">
      <summary class="button">Columns of the CSV</summary>
      <div class="menu absolute right-0 z-20 grid w-80 grid-cols-2 gap-x-3 p-3 max-hand:left-0">
        {#each known as [key, words] (key)}
          <label class="flex min-h-touch items-center gap-2"
            ><input
              type="checkbox"
              class="size-4"
              checked={!chosen.length || chosen.includes(key)}
              onchange={(e) => turn(key, e.currentTarget.checked)} />{words}</label>
        {/each}
      </div>
    </details>
  </div>
  <Failed of={lines} />
  {#if lines.value}
    {#if !lines.value.items.length}
      <div class="rounded border-line border-dashed border-rule bg-sheet px-8 py-12 text-center">
        {search || product || season
          ? 'No record fits.'
          : 'No spraying yet. A record begins by itself with the first landing of a spraying job on a running day.'}
      </div>
    {:else}
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <div class="overflow-x-auto" tabindex="0" role="region" aria-label="Spray records">
        <table class="sheet-table bg-sheet" data-testid="spray-records">
          <thead
            ><tr
              ><th>record</th><th>date</th><th>job, field</th><th>crop</th><th>products</th><th class="!text-right">area</th><th
                class="!text-right">sprayed</th
              ><th>state</th></tr
            ></thead>
          <tbody>
            {#each lines.value.items as r (`${r.day_id}${r.job_id}`)}
              <tr class="cursor-pointer hover:bg-paper-deep" onclick={() => goto(`/days/${r.day_id}/spray/${r.job_id}`)}>
                <td class="nums"><a href="/days/{r.day_id}/spray/{r.job_id}">{numberOf(r.number)}</a></td>
                <td class="whitespace-nowrap">{shortDate(r.date)}</td>
                <td><b>{r.job}</b>{r.fields && r.fields !== r.job ? `, ${r.fields}` : ''}</td>
                <td>{r.crop || '—'}</td>
                <td>{r.products.join(', ') || '—'}</td>
                <td class="nums text-right">{show(r.area_ha, 'ha', session.units, 2)}</td>
                <td class="nums text-right">{show(r.litres, 'l', session.units)}</td>
                <td class={r.lacks_count ? 'problem' : ''}
                  >{r.closed ? 'closed' : 'open'}{r.lacks_count ? `, lacks ${r.lacks_count}` : ''}</td>
              </tr>
            {/each}
          </tbody>
          <tfoot
            ><tr class="font-semibold"
              ><td colspan="5" class="border-t-line !border-ink">closed records</td><td
                class="nums border-t-line !border-ink text-right">{show(lines.value.area_ha, 'ha', session.units, 2)}</td
              ><td class="nums border-t-line !border-ink text-right">{show(lines.value.litres, 'l', session.units)}</td><td
                class="border-t-line !border-ink"></td
              ></tr
            ></tfoot>
        </table>
      </div>
      {#if lines.value.not_shown}<p class="quiet mt-2">
          {lines.value.not_shown} older records are not looked at here: choose a season. The CSV holds all.
        </p>{/if}
    {/if}
  {:else if !lines.problem}<p class="quiet" role="status">Looking …</p>{/if}
</div>
