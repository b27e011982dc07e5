<!-- Everything that was flown, by day, job or pack; logs come in at the side, and what needs an answer stands there. -->
<script lang="ts">
  import { untrack } from 'svelte';
  import { page as route } from '$app/state';
  import { call } from '$shared/api/call';
  import { type Schemas } from '$shared/api/client';
  import { digits, hours, minutes, percent, show } from '$shared/format/units';
  import { Pages } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import More from '$shared/ui/More.svelte';
  import { help } from '$shared/ui/help.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import {
    againstPlan,
    clockOf,
    dayAndClock,
    daysBefore,
    grouped,
    recordWords,
    SOURCES,
    today,
    type Entry,
    type GroupBy,
  } from './words/book';
  import ImportBox from './components/ImportBox.svelte';
  import { Imports } from './state/imports.svelte';
  import LogbookNav from './components/LogbookNav.svelte';

  type What = 'flights' | 'charges' | 'tests';
  const WHAT: { id: What; label: string }[] = [
    { id: 'flights', label: 'Flights' },
    { id: 'charges', label: 'Charges' },
    { id: 'tests', label: 'Tests' },
  ];
  const asked = route.url.searchParams;
  let book = $state.raw<Schemas['BookOut'] | null>(null);
  let failed = $state('');
  let begins = $state(asked.get('from') ?? daysBefore(today(), 45));
  let ends = $state(asked.get('to') ?? '');
  let words = $state(asked.get('q') ?? '');
  let by = $state<GroupBy>((asked.get('by') as GroupBy) ?? 'day');
  let entries = $state.raw<Entry[]>([]);
  let adding = $state(false);
  let what = $state<What>((asked.get('what') as What) ?? 'flights');
  const records = new Pages((cursor) =>
    call('GET', '/api/logbook/records/{what}', {
      params: { path: { what: what === 'flights' ? 'charges' : what }, query: { ...query(), cursor } },
    }),
  );
  const imports = new Imports(() => void load());
  const BY: { id: GroupBy; label: string }[] = [
    { id: 'day', label: 'By day' },
    { id: 'job', label: 'By job' },
    { id: 'pack', label: 'By pack' },
  ];

  const query = () => ({ begins: begins || undefined, ends: ends || undefined, words });
  let turn = 0;
  async function load() {
    const mine = ++turn;
    if (what !== 'flights') {
      await records.load();
      if (book) return;
    }
    const { data, problem } = await call('GET', '/api/logbook', { params: { query: query() } });
    if (mine !== turn) return;
    failed = problem?.detail ?? '';
    if (!data) return;
    book = data;
    entries = data.entries;
    void imports.resume(data.imports);
  }
  /** The next page of flights joins those that are shown. */
  async function more() {
    if (!book?.next) return;
    const mine = ++turn;
    adding = true;
    const { data, problem } = await call('GET', '/api/logbook', { params: { query: { ...query(), cursor: book.next } } });
    adding = false;
    if (mine !== turn) return;
    failed = problem?.detail ?? '';
    if (!data) return;
    book = data;
    entries = [...entries, ...data.entries];
  }
  let timer: ReturnType<typeof setTimeout>;
  $effect(() => {
    void [begins, ends, words, what];
    clearTimeout(timer);
    // What a load sets must not start the next one.
    timer = setTimeout(load, untrack(() => book) ? 220 : 0);
    const url = new URL(untrack(() => route.url));
    for (const [k, v] of Object.entries({
      from: begins,
      to: ends,
      q: words,
      by: by === 'day' ? '' : by,
      what: what === 'flights' ? '' : what,
    }))
      if (v) url.searchParams.set(k, v);
      else url.searchParams.delete(k);
    history.replaceState(history.state, '', url);
  });
  $effect(() =>
    help.offer('logbook', [
      { id: 'by-day', label: 'Flights by day', keys: 'D', run: () => (by = 'day') },
      { id: 'by-job', label: 'Flights by job', keys: 'J', run: () => (by = 'job') },
      { id: 'by-pack', label: 'Flights by pack', keys: 'P', run: () => (by = 'pack') },
    ]),
  );
  const groups = $derived(grouped(entries, by));
  const asks = $derived((book?.asking_files.length ?? 0) + (book?.asking_flights.length ?? 0));
  const title = (e: Entry) => [e.letter && !e.sortie ? e.letter : e.sortie, e.job].filter(Boolean).join(' ');
</script>

<div class="px-6 py-5">
  <LogbookNav title="Logbook" />
  <div class="grid grid-cols-[minmax(0,1fr)_320px] gap-8 max-narrow:grid-cols-1">
    <section aria-label="Flights" class="min-w-0">
      <div class="mb-3 flex flex-wrap items-end gap-3">
        <div class="w-43"><TextField label="from" type="date" live value={begins} onchange={(v) => (begins = v)} /></div>
        <div class="w-43"><TextField label="to" type="date" live value={ends} onchange={(v) => (ends = v)} /></div>
        <input
          class="input max-w-66"
          type="search"
          placeholder="Aircraft, pack, sortie, person"
          aria-label="Search flights"
          bind:value={words} />
        <div class="flex" role="group" aria-label="What">
          {#each WHAT as w (w.id)}<button class="button plain" aria-pressed={what === w.id} onclick={() => (what = w.id)}
              >{w.label}</button
            >{/each}
        </div>
        <div class="ml-auto flex {what === 'flights' ? '' : 'invisible'}" role="group" aria-label="Order">
          {#each BY as b (b.id)}<button class="button plain" aria-pressed={by === b.id} onclick={() => (by = b.id)}
              >{b.label}</button
            >{/each}
        </div>
      </div>
      {#if failed}<p class="problem mb-3" role="alert">
          {failed} <button class="button" onclick={load}>Try again</button>
        </p>{/if}
      {#if what !== 'flights'}
        <Failed of={records} />
        {#if !records.items}
          {#if !records.problem}<p class="quiet" role="status">Opening the logbook …</p>{/if}
        {:else if !records.items.length}
          <p class="rounded border-line border-dashed border-rule bg-sheet px-8 py-12 text-center">
            No {what === 'charges' ? 'charge' : 'test'} was written down in this time. What is recorded at a pack, at the bench or on
            a running day appears here by itself.
          </p>
        {:else}
          <table class="sheet-table bg-sheet" data-testid="records">
            <thead><tr><th class="w-43">when</th><th>pack</th><th>what</th><th>by</th></tr></thead>
            <tbody>
              {#each records.items as r (r.key)}
                <tr class="hover:bg-paper-deep">
                  <td class="whitespace-nowrap">{dayAndClock(r.at)}</td>
                  <td><a class="font-semibold" href="/packs/{r.pack_id}">{r.pack}</a></td>
                  <td>{recordWords(r, session.units)}</td>
                  <td class="text-small">{r.who || '—'}{r.note ? `, ${r.note}` : ''}</td>
                </tr>
              {/each}
            </tbody>
          </table>
          <More of={records} />
        {/if}
      {:else if !book}
        {#if !failed}<p class="quiet" role="status">Opening the logbook …</p>{/if}
      {:else if !entries.length}
        <div class="rounded border-line border-dashed border-rule bg-sheet px-8 py-12 text-center">
          {#if words}<p>Nothing in this time matches “{words}”.</p>
            <button class="button mt-3" onclick={() => (words = '')}>Show all</button>
          {:else}<h2 class="mb-2 text-title">Nothing was flown in this time</h2>
            <p>
              Landings of a running day and flights written down at a pack appear here by themselves. Logs you drop join them.
            </p>
            {#if begins}<button class="button mt-3" onclick={() => (begins = '')}>Look further back</button>{/if}{/if}
        </div>
      {:else}
        <p class="mb-2" data-testid="sums">
          <b>{digits(book.flights)}</b>
          {book.flights === 1 ? 'flight' : 'flights'}, <b>{hours(book.flown_s)}</b> in the air{book.hectares >= 0.05
            ? `, ${show(book.hectares, 'ha', session.units)}`
            : ''}{book.litres ? `, ${show(book.litres, 'l', session.units)}` : ''}; {book.with_log} with a log
          <span class="quiet ml-3 text-note">
            all of it: <a href="/api/logbook/flights.csv?begins={begins}{ends ? `&ends=${ends}` : ''}" download>CSV</a>,
            <a href="/api/logbook/flights.parquet?begins={begins}{ends ? `&ends=${ends}` : ''}" download>Parquet</a>
          </span>
        </p>
        <table class="sheet-table bg-sheet" data-testid="flights">
          <thead
            ><tr
              ><th class="w-20">take-off</th><th>aircraft</th><th>packs</th><th>work</th><th class="w-43">charge</th><th
                class="!text-right">flown</th
              ><th class="!text-right">to plan</th><th>recorded by</th></tr
            ></thead>
          {#each groups as g (g.key)}
            <tbody>
              <tr>
                <th colspan="8" scope="rowgroup" class="!border-rule !pt-4 !text-body !font-semibold !text-ink">
                  {g.name}
                  <span class="quiet ml-2 font-normal"
                    >{g.entries.length} {g.entries.length === 1 ? 'flight' : 'flights'}, {hours(g.flown_s)}</span>
                </th>
              </tr>
              {#each g.entries as e (e.id)}
                <tr class="hover:bg-paper-deep">
                  <td class="whitespace-nowrap">
                    {#if e.flight_id}<a class="font-semibold" href="/logbook/flights/{e.flight_id}"
                        >{by === 'day' ? clockOf(e.began_at) : dayAndClock(e.began_at)}</a>
                    {:else}{by === 'day' ? clockOf(e.began_at) : dayAndClock(e.began_at)}{/if}
                  </td>
                  <td>{e.aircraft || '—'}</td>
                  <td>{e.packs.join(' + ') || '—'}</td>
                  <td class="max-w-60 truncate" title={title(e)}>{title(e) || '—'}</td>
                  <td>
                    {#if e.to_frac !== null}
                      {@const from = e.from_frac ?? 1}
                      <span class="flex items-center gap-2">
                        <svg width="74" height="12" aria-hidden="true">
                          <rect x=".5" y=".5" width="73" height="11" fill="none" stroke="var(--rule)" />
                          <rect
                            x={74 * e.to_frac}
                            y="1"
                            width={Math.max(1, 74 * (from - e.to_frac))}
                            height="10"
                            fill={e.flight_id ? 'var(--ink)' : 'var(--paper-deep)'}
                            stroke={e.flight_id ? 'none' : 'var(--ink-2)'}
                            stroke-dasharray="3 2" />
                          <path d="M{74 * e.to_frac} 0V12" stroke="var(--ink)" stroke-width="1.6" />
                        </svg>
                        <span class="whitespace-nowrap text-note"
                          >{e.from_frac !== null ? `${digits(100 * e.from_frac)} → ` : '→ '}{percent(e.to_frac)}</span>
                      </span>
                    {:else}<span class="quiet">—</span>{/if}
                  </td>
                  <td class="text-right">{minutes(e.length_s)}</td>
                  <td class="text-right">{againstPlan(e)}</td>
                  <td class="text-small" title={SOURCES[e.source]}>
                    {#if e.flight_id}<b>log</b>{e.source === 'log' ? '' : ', '}{/if}{e.source === 'log'
                      ? ''
                      : e.who || (e.source === 'day' ? 'the day' : 'the pack')}
                    {#if e.ask}<a class="problem ml-1" href="/logbook/flights/{e.flight_id}">? {e.ask}</a>{/if}
                  </td>
                </tr>
              {/each}
            </tbody>
          {/each}
        </table>
        <More of={{ items: entries, next: book.next, total: book.flights, busy: adding, more }} />
        <div class="mt-2 flex flex-wrap gap-x-5 text-note" aria-label="How to read">
          <span>charge: solid where a log tells it, broken where people did</span><span>to plan: longer is plus</span>
        </div>
      {/if}
    </section>
    <aside class="min-w-0" aria-label="Logs">
      {#if asks}
        <h2 class="mb-2">Needs an answer</h2>
        <ul class="mb-5 list-none border-l-3 border-copper p-0 pl-3" data-testid="asks">
          {#each book!.asking_files as f (f.id)}
            <li class="py-1.5">
              <a class="font-semibold [overflow-wrap:anywhere]" href="/logbook/files/{f.id}">{f.name}</a>
              <div class="text-small">{f.words}</div>
            </li>
          {/each}
          {#each book!.asking_flights as f (f.id)}
            <li class="py-1.5">
              <a class="font-semibold" href="/logbook/flights/{f.id}">Say {f.ask}</a>
              <div class="quiet text-small [overflow-wrap:anywhere]">
                {minutes(f.length_s)} min, {dayAndClock(f.began_at)}, {f.name}
              </div>
            </li>
          {/each}
        </ul>
      {/if}
      <h2 class="mb-2">Import logs</h2>
      <ImportBox {imports} />
      {#if book && !imports.list.length && book.imports.length}
        <ul class="quiet mt-3 list-none p-0 text-note">
          {#each book.imports.slice(0, 3) as i (i.id)}
            <li class="[overflow-wrap:anywhere]">
              {dayAndClock(i.made_at)}: {i.name}: {i.words || i.state}
              {#if i.broken_off}<button class="button small" onclick={() => imports.again(i.id)}>Try again</button>{/if}
            </li>
          {/each}
        </ul>
      {/if}
      <p class="quiet mt-4 text-note">
        A log is read once, however often it is dropped. It joins the flight that was told of when time, length and pack agree;
        where they do not, you are asked. <a href="/logbook/claims">What flights teach</a> changes plans only when a lead accepts it.
      </p>
    </aside>
  </div>
</div>
