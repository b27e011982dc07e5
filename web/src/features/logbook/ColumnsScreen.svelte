<!-- What the columns of a log hold: on real rows, said once and remembered for every log of its kind. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { digits } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import { tellsDate } from './words/book';
  import Held from './components/Held.svelte';
  import LogbookNav from './components/LogbookNav.svelte';

  let { id }: { id: string } = $props();
  type Said = { header: string; quantity: string; unit: string; cell: number };
  let page = $state.raw<Schemas['LogFilePage'] | null>(null);
  let said = $state<Said[]>([]);
  let zone = $state('');
  let failed = $state('');
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);
  const may = $derived(session.may('logs:read'));
  const zones = ['', 'UTC', ...Intl.supportedValuesOf('timeZone')];

  async function load() {
    const { data, problem: bad } = await call('GET', '/api/logbook/files/{file_id}', { params: { path: { file_id: id } } });
    failed = bad?.detail ?? '';
    if (!data) return;
    page = data;
    said = data.file.look.columns.map((c) => ({ header: c.header, quantity: c.quantity, unit: c.unit, cell: c.cell }));
    zone = data.file.zone;
  }
  void load();
  const file = $derived(page?.file ?? null);
  const look = $derived(file?.look ?? null);
  const unitsOf = (quantity: string) => page?.choices.find((c) => c.name === quantity)?.units.filter(Boolean) ?? [];
  // What was read from the log may be spelled as no usual unit is: it stays a choice.
  const unitsAt = (c: Said) => [...new Set([...unitsOf(c.quantity), c.unit])].filter(Boolean);
  const at = (k: number) => (problem?.field === `columns.${k}` ? problem.detail : '');
  const open = $derived(look?.columns.filter((c) => !c.certain).length ?? 0);
  const dated = $derived(said.some((c, k) => ['time_s', 'date_s'].includes(c.quantity) && tellsDate(look?.rows[0]?.[k] ?? '')));
  function choose(k: number, quantity: string) {
    const units = unitsOf(quantity);
    said[k] = { ...said[k]!, quantity, unit: units[0] ?? '', cell: quantity === 'cell_v' ? said[k]!.cell || 1 : 0 };
  }

  async function send() {
    busy = true;
    const { data, problem: bad } = await call('PUT', '/api/logbook/files/{file_id}/columns', {
      params: { path: { file_id: id } },
      body: { columns: said, zone },
    });
    busy = false;
    problem = bad;
    if (!data) return;
    notices.say(
      `${data.read} ${data.read === 1 ? 'log' : 'logs'} read. ${data.queued ? `${data.queued} more are being read.` : 'Logs of this kind will not ask again.'}`,
    );
    for (const r of data.refused) notices.say(`${r.name}: ${r.words}`, { bad: true });
    await goto(data.file.flights.length === 1 ? `/logbook/flights/${data.file.flights[0]}` : '/logbook');
  }

  async function leaveOut(header: string) {
    said = said.map((c) => (c.header === header ? { ...c, quantity: '', unit: '', cell: 0 } : c));
    await send();
  }

  async function accept(split: boolean) {
    busy = true;
    const { data, problem: bad } = await call('POST', '/api/logbook/files/{file_id}/accept', {
      params: { path: { file_id: id } },
      body: { split },
    });
    busy = false;
    problem = bad;
    if (data?.file.held) {
      page = data;
      notices.say('Still held: read in parts it contradicts itself too.', { bad: true });
    } else if (data) await goto(data.file.flights.length === 1 ? `/logbook/flights/${data.file.flights[0]}` : '/logbook');
  }

  async function remove() {
    if (!confirm(`Delete ${file!.name} with its flights and all that was read from it?`)) return;
    const { problem: bad } = await call('DELETE', '/api/logbook/files/{file_id}', {
      params: { path: { file_id: id } },
      parseAs: 'text',
    });
    if (bad && bad.status !== 204) notices.say(bad.detail, { bad: true });
    else await goto('/logbook');
  }
</script>

<div class="px-6 py-5">
  <LogbookNav title="What the columns hold" />
  {#if failed}<p class="problem" role="alert">{failed} <button class="button" onclick={load}>Try again</button></p>{/if}
  {#if !file && !failed}<p class="quiet" role="status">Opening the log …</p>{/if}
  {#if file && look && page}
    <p class="mb-1 max-w-257">
      <b class="[overflow-wrap:anywhere]">{file.name}</b>: {digits(file.size / 1000)} kB, separator:
      {look.separator === 'tab' ? 'tabs' : `“${look.separator}”`}, decimals with a {look.decimal === ',' ? 'comma' : 'point'},
      first row in line {look.first_row}.
      {#if file.same_kind}{file.same_kind} more {file.same_kind === 1 ? 'log' : 'logs'} of this kind wait for the same answer.{/if}
    </p>
    {#if look.lacks}<p class="problem mb-2" role="status">{look.lacks}</p>
    {:else if open}<p class="problem mb-2" role="status">
        {open === 1 ? 'One column is' : `${open} columns are`} not certain: marked with “?”.
      </p>{/if}
    {#if file.held}
      <Held {file} {may} {busy} {leaveOut} {accept} />
    {:else if file.doubts.length}<p class="mb-2 text-small">About the log: {file.doubts.join('; ')}.</p>{/if}
    {#if file.bad_rows}<p class="mb-2 text-small">
        {digits(file.bad_rows)} of {digits(file.rows)} rows could not be read, such as {file.examples.join(', ')}.
      </p>{/if}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div class="overflow-x-auto rounded border-line border-ink bg-sheet" tabindex="0" role="region" aria-label="Rows of the log">
      <table class="border-collapse text-small" data-testid="columns">
        <thead>
          <tr>
            {#each look.columns as c, k (c.header + k)}
              <th
                class="min-w-45 border-r border-rule p-2 text-left align-top font-normal {said[k]?.quantity
                  ? ''
                  : 'bg-paper-deep'}"
                scope="col">
                <div class="mb-1 font-semibold [overflow-wrap:anywhere]">
                  {#if !c.certain}<span class="problem" title="not certain">? </span>{/if}{c.header}{c.unit_row
                    ? ` · ${c.unit_row}`
                    : ''}
                </div>
                <select
                  class="input mb-1"
                  aria-label="What {c.header} holds"
                  aria-invalid={at(k) ? 'true' : undefined}
                  disabled={!may}
                  value={said[k]!.quantity}
                  onchange={(e) => choose(k, e.currentTarget.value)}>
                  <option value="">not used</option>
                  {#each page.choices as q (q.name)}<option value={q.name}>{q.words}</option>{/each}
                </select>
                {#if unitsAt(said[k]!).length}
                  <div class="flex gap-1">
                    <select
                      class="input"
                      aria-label="Unit of {c.header}"
                      disabled={!may}
                      value={said[k]!.unit}
                      onchange={(e) => (said[k]!.unit = e.currentTarget.value)}>
                      {#each unitsAt(said[k]!) as u (u)}<option value={u}>{u}</option>{/each}
                    </select>
                    {#if said[k]!.quantity === 'cell_v' && said[k]!.cell > 0}
                      <input
                        class="input !w-18"
                        type="number"
                        min="1"
                        max="28"
                        aria-label="Which cell {c.header} is"
                        disabled={!may}
                        bind:value={said[k]!.cell} />
                    {/if}
                  </div>
                {/if}
                {#if at(k)}<p class="problem mt-1" role="alert">{at(k)}</p>
                {:else}<p class="quiet mt-1 text-note">{c.why}</p>{/if}
              </th>
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each look.rows as row, n (n)}
            <tr>
              {#each look.columns as c, k (c.header + k)}
                <td
                  class="max-w-63 truncate border-r border-t border-rule px-2 py-1 {said[k]?.quantity
                    ? ''
                    : 'bg-paper-deep text-ink-2'}">{row[k] ?? ''}</td>
              {/each}
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
    <div class="mt-4 flex flex-wrap items-end gap-4">
      <label class="flex flex-col gap-1">
        <span>its clock shows</span>
        <select
          class="input !w-80"
          bind:value={zone}
          disabled={!may}
          aria-invalid={problem?.field === 'zone' ? 'true' : undefined}>
          {#each zones as z (z)}<option value={z}
              >{z === ''
                ? dated
                  ? 'UTC, or the log says itself'
                  : 'the log says itself, or only counts'
                : z === page.zone_guess
                  ? `${z}, as your newest day`
                  : z}</option
            >{/each}
        </select>
      </label>
      <button class="button dark" disabled={!may || busy} onclick={send}>{busy ? 'Reading …' : 'Read it so'}</button>
      <a class="button" href="/logbook">Cancel</a>
      <button class="button plain ml-auto" disabled={!session.may('logs:delete')} onclick={remove}>Delete this log</button>
    </div>
    {#if problem && !problem.field.startsWith('columns.')}<p class="problem mt-2" role="alert">{problem.detail}</p>{/if}
    <p class="quiet mt-3 max-w-217 text-note">
      What you say is remembered for every log with these columns, and can be corrected here at any time: the log is kept as it
      came and is read again.
    </p>
  {/if}
</div>
