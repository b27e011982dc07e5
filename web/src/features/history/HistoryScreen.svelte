<!-- Who did what, when: page by page, by words, person, kind and dates; for leads with sign-ins and refusals, and as a table to keep. -->
<script lang="ts">
  import { untrack } from 'svelte';
  import { call } from '$shared/api/call';
  import { download } from '$shared/api/download';
  import { shortDate } from '$shared/format/dates';
  import { clockOf, digits } from '$shared/format/units';
  import { Pages, resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import More from '$shared/ui/More.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import { actionWords, changes, KINDS } from './words';

  let words = $state('');
  let who = $state('');
  let thing = $state('');
  let begins = $state('');
  let ends = $state('');
  const lead = $derived(session.may('history:read'));
  const wanted = () => ({ words, who, thing, begins: begins || undefined, ends: ends || undefined });
  const lines = new Pages((cursor) => call('GET', '/api/history', { params: { query: { ...wanted(), cursor } } }));
  const people = resource(() => call('GET', '/api/people'));
  const kinds = $derived(KINDS.filter((k) => lead || !k.leads));
  let wait: ReturnType<typeof setTimeout> | undefined;
  $effect(() => {
    void [words, who, thing, begins, ends];
    clearTimeout(wait);
    wait = setTimeout(() => untrack(() => void lines.load()), 200);
    return () => clearTimeout(wait);
  });
  async function exported() {
    const query = new URLSearchParams(Object.entries(wanted()).filter((e): e is [string, string] => !!e[1]));
    const problem = await download(`/api/history.csv?${query}`);
    if (problem) notices.say(problem, { bad: true });
  }
  const filtered = $derived(!!(words || who || thing || begins || ends));
</script>

<div class="mx-auto max-w-309 px-6 py-6">
  <div class="mb-4 flex items-end gap-4">
    <h1 class="mr-auto">History</h1>
    {#if lead}<button class="button" onclick={exported}>Export as CSV</button>{/if}
  </div>
  <div class="mb-4 grid grid-cols-5 gap-3 max-tablet:grid-cols-2">
    <TextField label="Words" live value={words} onchange={(v) => (words = v)} />
    <Choice
      stacked
      label="Who"
      value={who}
      empty="everybody"
      options={(people.value ?? []).map((p) => ({ value: p.username, label: p.full_name || p.username }))}
      onchange={(v) => (who = v)} />
    <Choice stacked label="What" value={thing} empty="everything" options={kinds} onchange={(v) => (thing = v)} />
    <TextField label="From" type="date" value={begins} onchange={(v) => (begins = v)} />
    <TextField label="To" type="date" value={ends} onchange={(v) => (ends = v)} />
  </div>
  <Failed of={[lines, people]} />
  {#if lines.items}
    <p class="quiet mb-2" role="status">
      {digits(lines.total)}
      {lines.total === 1 ? 'line' : 'lines'}{filtered ? ' found' : ''}
    </p>
    <table class="sheet-table bg-sheet">
      <thead
        ><tr
          ><th>when</th><th class="max-hand:hidden">who</th><th>what</th><th>which</th><th class="max-hand:hidden">details</th
          ></tr
        ></thead>
      <tbody>
        {#each lines.items as h (h.id)}
          <tr>
            <td class="nums whitespace-nowrap max-hand:whitespace-normal"
              ><span class="whitespace-nowrap">{shortDate(h.at)},</span> {clockOf(h.at)}</td>
            <td class="font-semibold max-hand:hidden">{h.who || '—'}</td>
            <td><b class="hidden max-hand:block">{h.who}</b>{actionWords(h.action)}</td>
            <td>{h.label}</td>
            <td class="max-w-105 text-small max-hand:hidden">{changes(h.before, h.after)}</td>
          </tr>
        {:else}<tr
            ><td colspan="5" class="quiet">{filtered ? 'Nothing is found. Widen the search.' : 'Nothing has been done yet.'}</td
            ></tr
          >{/each}
      </tbody>
    </table>
    <More of={lines} />
  {:else if !lines.problem}<p class="quiet" role="status">Looking …</p>{/if}
</div>
