<!-- A spray record: what the day told, what was entered over it, and what it still lacks. -->
<script lang="ts">
  import { Dialog } from 'bits-ui';
  import { call } from '$shared/api/call';
  import { download } from '$shared/api/download';
  import type { Problem } from '$shared/api/client';
  import { amountText } from '$shared/format/amounts';
  import { shortDate } from '$shared/format/dates';
  import { clockIn } from '$shared/format/moments';
  import { fromShown, percent, show, unitOf, type Quantity } from '$shared/format/units';
  import { resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import { notices } from '$shared/ui/notices.svelte';

  let { dayId, jobId }: { dayId: string; jobId: string } = $props();
  // svelte-ignore state_referenced_locally
  const path = { day_id: dayId, job_id: jobId };
  const asked = resource(() => call('GET', '/api/days/{day_id}/jobs/{job_id}/spray-record', { params: { path } }));
  const r = $derived(asked.value);
  const closed = $derived(!!r?.closed_at);
  const writable = $derived(session.may(closed ? 'records:correct' : 'records:write'));

  type Entry = { key: string; label: string; value: string; weather: boolean };
  let entry = $state<Entry | null>(null);
  let read = $state<Record<string, string>>({});
  let why = $state('');
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);
  const WEATHER: { key: string; label: string; quantity?: Quantity; unit?: string }[] = [
    { key: 'wind_m_s', label: 'Wind', quantity: 'm_s' },
    { key: 'gust_m_s', label: 'Gust', quantity: 'm_s' },
    { key: 'from_deg', label: 'From', unit: '°' },
    { key: 'air_c', label: 'Temperature', quantity: 'c' },
    { key: 'humidity_frac', label: 'Humidity', unit: '%' },
  ];
  function edit(key: string, label: string, value: string) {
    entry = { key, label, value, weather: key.startsWith('weather:') };
    read = {};
    why = '';
    problem = null;
  }
  const number = (text: string) => Number(text.trim().replace(',', '.').replace('−', '-'));
  function weatherRead() {
    const found: Record<string, number> = {};
    for (const w of WEATHER) {
      const text = read[w.key] ?? '';
      if (!text.trim()) continue;
      const v = number(text);
      found[w.key] = w.quantity ? fromShown(v, w.quantity, session.units) : w.unit === '%' ? v / 100 : v;
    }
    return found;
  }
  async function send(e: SubmitEvent) {
    e.preventDefault();
    busy = true;
    const { data, problem: bad } = await call('POST', '/api/days/{day_id}/jobs/{job_id}/spray-record', {
      params: { path },
      body: { key: entry!.key, value: entry!.weather ? weatherRead() : entry!.value, why },
    });
    busy = false;
    problem = bad;
    if (!data) return;
    asked.value = data;
    entry = null;
  }
  async function save(form: 'pdf' | 'csv') {
    const failed = await download(`/api/days/${dayId}/jobs/${jobId}/spray-record.${form}`);
    if (failed) notices.say(failed, { bad: true });
  }
  const at = (t: string | null | undefined) => (t ? clockIn(t, r!.time_zone) : '');
  const cell = (v: number | null | undefined, text: (v: number) => string) => (v === null || v === undefined ? '—' : text(v));
  const choices = $derived(
    entry
      ? (r?.fields.find((f) => f.key === entry!.key)?.choices ?? r?.products.find((p) => p.key === entry!.key)?.batches ?? [])
      : [],
  );
  const unitFor = $derived(entry ? (r?.fields.find((f) => f.key === entry!.key)?.unit ?? '') : '');
</script>

<svelte:head><title>Spray record · Gentle Quarry</title></svelte:head>

<div class="mx-auto max-w-309 px-6 py-5 max-hand:px-4">
  <Failed of={asked} />
  {#if r}
    <div class="mb-3 flex flex-wrap items-end gap-3">
      <div class="mr-auto min-w-0">
        <h1>Spray record{r.number ? ` ${String(r.number).padStart(4, '0')}` : ''}: {r.job}</h1>
        <p class="quiet m-0">
          {r.day}, {shortDate(r.date)}{r.place ? `, ${r.place}` : ''} · {closed
            ? `closed ${shortDate(r.closed_at!)}`
            : 'open until its day is closed'}
        </p>
      </div>
      <a class="button no-print" href={closed ? '/logbook/spraying' : `/days/${dayId}/live`}
        >{closed ? 'All records' : 'Back to Live'}</a>
      <a class="button no-print" href="/jobs/{jobId}?flown&day={dayId}">As flown</a>
      <button class="button no-print" onclick={() => save('csv')}>CSV</button>
      <button class="button dark no-print" onclick={() => save('pdf')}>PDF</button>
    </div>
    {#if r.lacks.length}
      <div class="mb-4 border-y-2 border-copper bg-wash-copper px-4 py-3" data-testid="lacks">
        <b>This record lacks</b>
        <ul class="m-0 list-disc pl-5">
          {#each r.lacks as l (l)}<li>{l}</li>{/each}
        </ul>
        {#if r.without}<p class="m-0 mt-1">Closed without: {r.without}</p>{/if}
      </div>
    {:else}<p class="mb-4 border-y border-rule py-2" data-testid="lacks">Nothing is missing.</p>{/if}
    <div class="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] items-start gap-x-8 gap-y-4 max-tablet:grid-cols-[minmax(0,1fr)]">
      <div class="m-0" data-testid="record-fields">
        {#each r.fields as f (f.key)}
          <div class="flex items-start gap-3 border-b border-rule py-1">
            <span class="quiet w-[42%] pt-1">{f.label}</span>
            <div class="min-w-0 flex-1 break-words pt-1">
              {#if f.value}{f.value}{f.unit ? ` ${f.unit}` : ''}{:else}<span class={f.needed ? 'problem' : 'quiet'}
                  >{f.needed ? '! not entered' : '—'}</span
                >{/if}
            </div>
            <button
              class="button plain no-print"
              disabled={!writable}
              aria-label="{closed ? 'Correct' : 'Enter'} {f.label.toLowerCase()}"
              onclick={() => edit(f.key, f.label, f.value)}>{closed ? 'Correct' : f.value ? 'Change' : 'Enter'}</button>
          </div>
        {/each}
      </div>
      <div class="flex flex-col gap-4">
        <section>
          <h2>Products</h2>
          {#each r.products as p (p.product_id)}
            <div class="flex items-start gap-3 border-b border-rule py-1" data-testid="record-product">
              <div class="min-w-0 flex-1 pt-1">
                <b>{p.name}</b>{p.registration ? `, ${p.registration}` : ''}: {amountText(p.per_ha_amount, p.unit)} on a hectare,
                <b>{amountText(p.amount, p.unit)}</b> in all; batch {#if p.batch}{p.batch}{:else}<span class="problem"
                    >! not entered</span
                  >{/if}{#if p.not_in_store.length}<span class="problem block text-small"
                    >{p.not_in_store.join(', ')} is not in the store: nothing is taken of it.</span
                  >{/if}
              </div>
              <button
                class="button plain no-print"
                disabled={!writable}
                aria-label="{closed ? 'Correct' : 'Enter'} batch of {p.name}"
                onclick={() => edit(p.key, `Batch of ${p.name}`, p.batch || (p.batches[0] ?? ''))}
                >{closed ? 'Correct' : p.batch ? 'Change' : 'Enter'}</button>
            </div>
          {:else}<p class="quiet m-0">The job has no mix. Enter what was sprayed under its crop and mix.</p>{/each}
        </section>
        <section>
          <h2>Loads</h2>
          <table class="sheet-table w-full">
            <thead><tr><th>sortie</th><th>from, to</th><th class="!text-right">litres</th><th>pilot, aircraft</th></tr></thead>
            <tbody>
              {#each r.loads as x (x.sortie)}
                <tr
                  ><td class="font-semibold">{x.sortie}</td><td class="whitespace-nowrap tabular-nums"
                    >{at(x.from_at)}–{at(x.to_at)}</td
                  ><td class="nums text-right"
                    ><button
                      class="button plain small"
                      disabled={!writable}
                      aria-label="{closed ? 'Correct' : 'Enter'} litres of {x.sortie}"
                      onclick={() => edit(`load:${x.sortie}`, `Litres of ${x.sortie}`, x.litres.toFixed(1))}
                      >{x.litres.toFixed(1)}{x.counted ? '' : ' by the plan'}</button
                    ></td
                  ><td>{x.who || '—'}, {x.aircraft}</td></tr>
              {:else}<tr><td colspan="4" class="quiet">No sortie has landed yet.</td></tr>{/each}
            </tbody>
          </table>
        </section>
        <section>
          <h2>Kept clear</h2>
          {#each r.kept_clear as k (k)}<p class="m-0">{k}</p>{:else}<p class="quiet m-0">
              No sensitive place was entered.
            </p>{/each}
        </section>
      </div>
      <section class="col-span-full">
        <h2>Weather as measured</h2>
        <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
        <div class="overflow-x-auto" tabindex="0" role="region" aria-label="Weather as measured">
          <table class="sheet-table w-full" data-testid="record-weather">
            <thead
              ><tr
                ><th>when</th><th>measured</th><th class="!text-right">wind</th><th class="!text-right">gust</th><th
                  class="!text-right">from</th
                ><th class="!text-right">air</th><th class="!text-right">humidity</th><th class="!text-right">Delta-T</th><th
                  >by</th
                ><th><span class="visually-hidden">what can be done</span></th></tr
              ></thead>
            <tbody>
              {#each r.weather as w (w.key)}
                <tr>
                  <td>{w.words}, {at(w.due_at)}</td>
                  <td class={w.taken_at ? '' : 'problem'}>{w.taken_at ? at(w.taken_at) : '! not measured'}</td>
                  <td class="nums text-right">{cell(w.wind_m_s, (v) => show(v, 'm_s', session.units))}</td>
                  <td class="nums text-right">{cell(w.gust_m_s, (v) => show(v, 'm_s', session.units))}</td>
                  <td class="nums text-right">{cell(w.from_deg, (v) => `${v.toFixed(0)}°`)}</td>
                  <td class="nums text-right">{cell(w.air_c, (v) => show(v, 'c', session.units))}</td>
                  <td class="nums text-right">{cell(w.humidity_frac, percent)}</td>
                  <td class="nums text-right">{cell(w.delta_t_k, (v) => `${v.toFixed(1)} °C`)}</td>
                  <td>{w.who}</td>
                  <td class="text-right"
                    ><button
                      class="button plain no-print"
                      disabled={!writable}
                      aria-label="{closed ? 'Correct' : 'Enter'} weather {w.words}, {at(w.due_at)}"
                      onclick={() => edit(w.key, `Weather ${w.words}, ${at(w.due_at)}`, '')}
                      >{closed ? 'Correct' : w.taken_at ? 'Change' : 'Enter'}</button
                    ></td>
                </tr>
              {:else}<tr><td colspan="10" class="quiet">Asked for from the first take-off on.</td></tr>{/each}
            </tbody>
          </table>
        </div>
      </section>
    </div>
    {#if r.entries.length}
      <section class="mt-4" data-testid="record-entries">
        <h2>Entries and corrections</h2>
        <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
        <div class="overflow-x-auto" tabindex="0" role="region" aria-label="Entries and corrections">
          <table class="sheet-table w-full">
            <thead><tr><th>field</th><th>before</th><th>entered</th><th>by</th><th>why</th></tr></thead>
            <tbody>
              {#each r.entries as e, k (k)}
                <tr
                  ><td>{e.label}</td><td class="quiet">{e.was || 'nothing'}</td><td>{e.value || 'nothing'}</td><td
                    class="whitespace-nowrap">{e.by}, {shortDate(e.at)}, {clockIn(e.at, r.time_zone)}</td
                  ><td>{e.why}</td></tr>
              {/each}
            </tbody>
          </table>
        </div>
      </section>
    {/if}
    <p class="quiet mt-4">
      Filled from the day and from what was entered. The form that local law asks for and the label of the product take
      precedence.
    </p>
  {:else if !asked.problem}<p class="quiet" role="status">Looking …</p>{/if}
</div>

<Dialog.Root bind:open={() => !!entry, (o) => !o && (entry = null)}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-4 text-head">{entry?.label}{unitFor ? `, ${unitFor}` : ''}</Dialog.Title>
      {#if entry}
        <form class="flex flex-col gap-3" onsubmit={send}>
          {#if entry.weather}
            <div class="grid grid-cols-2 gap-3">
              {#each WEATHER as w (w.key)}
                <TextField
                  label="{w.label}, {w.quantity ? unitOf(w.quantity, session.units) : w.unit}"
                  value={read[w.key] ?? ''}
                  live
                  onchange={(v) => (read[w.key] = v)} />
              {/each}
            </div>
            <p class="quiet m-0">What stays empty stands as it was. It is marked as entered afterwards.</p>
          {:else}
            <TextField
              label={entry.label}
              live
              value={entry.value}
              maxlength={200}
              list="entered-before"
              onchange={(v) => (entry!.value = v)} />
            <datalist id="entered-before"
              >{#each choices as c (c)}<option value={c}></option>{/each}</datalist>
          {/if}
          {#if closed}<TextField label="Why it is corrected" live value={why} maxlength={200} onchange={(v) => (why = v)} />{/if}
          {#if problem}<p class="problem m-0" role="alert">{problem.detail}</p>{/if}
          <div class="flex justify-end gap-3">
            <Dialog.Close class="button">Cancel</Dialog.Close><button class="button dark" disabled={busy}>Save</button>
          </div>
        </form>
      {/if}
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
