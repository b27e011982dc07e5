<!-- Where logs are dropped; how far they are, and a word on every file. -->
<script lang="ts">
  import { session } from '$shared/session.svelte';
  import { underWay, type Imports } from '../state/imports.svelte';

  let { imports }: { imports: Imports } = $props();
  let over = $state(false);
  let input: HTMLInputElement | undefined = $state();
  const may = $derived(session.may('logs:read'));
  /** So few files are shown at once with what came of each, whatever the dates of the list are. */
  const SHOWN = 12;
  const WORD = { read: 'read', there: 'there already', asks: 'asks', refused: 'refused' } as const;

  function take(files: FileList | null | undefined) {
    if (files?.length && may) void imports.send([...files]);
    if (input) input.value = '';
  }
</script>

<!-- svelte-ignore a11y_no_static_element_interactions -->
<div
  data-testid="drop-logs"
  class="rounded border-line border-dashed px-4 py-4 text-center {over ? 'border-ink bg-wash-lichen' : 'border-rule bg-field'}"
  ondragover={(e) => {
    e.preventDefault();
    over = true;
  }}
  ondragleave={() => (over = false)}
  ondrop={(e) => {
    e.preventDefault();
    over = false;
    take(e.dataTransfer?.files);
  }}>
  <p class="mb-2">Drop logs here: CSV or any other table of text, a spreadsheet, gzip, or a zip of many.</p>
  <label class="button {may ? 'dark' : 'pointer-events-none opacity-60'}">
    Choose logs<input
      bind:this={input}
      type="file"
      multiple
      accept=".csv,.txt,.tsv,.psv,.log,.dat,.json,.jsonl,.ndjson,.xlsx,.gz,.zip"
      class="visually-hidden"
      disabled={!may}
      onchange={(e) => take(e.currentTarget.files)} />
  </label>
  {#if !may}<p class="quiet mt-2 text-note">Your role may look, not import. Ask a battery handler or pilot.</p>{/if}
</div>
{#each imports.list as s (s.row?.id ?? s.name)}
  <div class="mt-3 text-small" role="status" data-testid="import">
    <div class="flex items-baseline gap-2">
      <b class="min-w-0 grow truncate" title={s.name}>{s.name}</b>
      {#if s.row && underWay(s.row)}<button class="button small" onclick={() => imports.stop(s.row!.id)}>Stop</button>{/if}
    </div>
    {#if s.problem}<p class="problem">{s.problem}</p>
    {:else if s.row && underWay(s.row)}
      <p class="quiet">
        {s.row.state === 'waiting'
          ? 'Waits for the worker …'
          : `Log ${Math.min(s.row.done + 1, s.row.total)} of ${s.row.total} …`}
      </p>
      <progress class="h-2.5 w-full" max={s.row.total || 1} value={s.row.total ? s.row.done : undefined}></progress>
    {:else if s.row}
      {@const whole = s.row.state === 'done' && s.row.report.every((r) => r.state === 'read' || r.state === 'there')}
      <p class={s.row.state === 'done' ? '' : 'problem'}>{whole ? '✓ ' : '! '}{s.row.words}</p>
      {#if s.row.broken_off}<button class="button small" disabled={!may} onclick={() => imports.again(s.row!.id)}
          >Try again</button
        >{/if}
      {#if s.row.report.length}
        <details
          class="mt-1"
          open={s.row.report.length <= SHOWN || s.row.report.some((r) => r.state === 'asks' || r.state === 'refused')}>
          <summary class="cursor-pointer">each file</summary>
          <ul class="m-0 max-h-63 list-none overflow-y-auto p-0">
            {#each s.row.report as r, nth (nth)}
              <li class="border-b border-rule py-1 [overflow-wrap:anywhere]">
                {#if r.state === 'asks' && r.file_id}<a class="font-semibold" href="/logbook/files/{r.file_id}">{r.name}</a
                  >{:else}{r.name}{/if}
                <span class={r.state === 'refused' ? 'problem' : 'quiet'}>{WORD[r.state]}{r.words ? `: ${r.words}` : ''}</span>
                {#each r.flight_ids ?? [] as id, nth (id)}
                  <a href="/logbook/flights/{id}">flight {nth + 1}</a>
                {/each}
              </li>
            {/each}
          </ul>
        </details>
      {/if}
    {/if}
  </div>
{/each}
