<!-- Tables out and in: the whole file or nothing, every wrong cell by line and column. -->
<script lang="ts">
  import { Dialog } from 'bits-ui';
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { digits } from '$shared/format/units';
  import { session } from '$shared/session.svelte';

  interface Props {
    open: boolean;
    done: () => void;
  }
  let { open = $bindable(), done }: Props = $props();
  type TableImport = Schemas['TableImportOut'];
  let importing = $state.raw<TableImport | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let over = $state(false);
  let input: HTMLInputElement | undefined = $state();
  const running = $derived(!!importing && ['waiting', 'checking', 'writing'].includes(importing.state));
  const TABLES = [
    { what: 'models', words: 'models of pack' },
    { what: 'packs', words: 'the register of packs' },
    { what: 'records', words: 'their whole history' },
  ];

  async function read(file: File | undefined) {
    if (!file) return;
    importing = null;
    const body = new FormData();
    body.append('file', file);
    const answer = await call('POST', '/api/packs/tables', {
      body: body as never,
      bodySerializer: (b: unknown) => b as FormData,
    });
    problem = answer.problem;
    importing = answer.data;
    if (input) input.value = '';
    follow();
  }
  function follow() {
    if (!running) {
      if (importing?.state === 'done') done();
      return;
    }
    setTimeout(async () => {
      const { data } = await call('GET', '/api/packs/tables/imports/{import_id}', {
        params: { path: { import_id: importing!.id } },
      });
      if (data) importing = data;
      follow();
    }, 600);
  }
  async function again() {
    const answer = await call('POST', '/api/packs/tables/imports/{import_id}/again', {
      params: { path: { import_id: importing!.id } },
    });
    problem = answer.problem;
    if (answer.data) importing = answer.data;
    follow();
  }
  async function stop() {
    const { data } = await call('DELETE', '/api/packs/tables/imports/{import_id}', {
      params: { path: { import_id: importing!.id } },
    });
    if (data) importing = data;
  }
</script>

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog !w-[min(620px,94vw)]" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-3 text-head">Tables</Dialog.Title>
      <h2 class="mb-2">Out</h2>
      <div class="mb-5 flex flex-wrap gap-2">
        {#each TABLES as t (t.what)}
          <a class="button" href="/api/packs/tables/{t.what}.csv" download="{t.what}.csv">{t.what}.csv</a>
        {/each}
        <span class="quiet basis-full text-note">Reading what went out in again changes nothing.</span>
      </div>
      <h2 class="mb-2">In</h2>
      <!-- svelte-ignore a11y_no_static_element_interactions -->
      <div
        class="rounded border-line border-dashed px-5 py-5 text-center {over
          ? 'border-ink bg-wash-lichen'
          : 'border-rule bg-field'}"
        ondragover={(e) => {
          e.preventDefault();
          over = true;
        }}
        ondragleave={() => (over = false)}
        ondrop={(e) => {
          e.preventDefault();
          over = false;
          void read(e.dataTransfer?.files[0]);
        }}>
        <p class="mb-3">Models first, then packs, then records. Comma, semicolon or tab; UTF-8.</p>
        <label class="button {session.may('packs:record') && !running ? 'dark' : 'pointer-events-none opacity-60'}">
          Choose a CSV file<input
            bind:this={input}
            type="file"
            accept=".csv,text/csv,text/plain"
            class="visually-hidden"
            disabled={!session.may('packs:record') || running}
            onchange={(e) => read(e.currentTarget.files?.[0])} />
        </label>
      </div>
      {#if problem}<p class="problem mt-3" role="alert">{problem.detail}</p>{/if}
      {#if importing}
        <div class="mt-4" role="status" data-testid="importing">
          {#if running}
            <p class="mb-1">
              {importing.state === 'writing'
                ? `Writing ${digits(importing.rows)} rows …`
                : `Checking ${importing.name}, line ${digits(importing.done)} …`}
            </p>
            <div class="flex items-center gap-3">
              <progress
                class="h-3 grow"
                max={importing.rows || 1}
                value={importing.rows && importing.state !== 'writing' ? importing.done : undefined}></progress
              ><button class="button" onclick={stop}>Stop</button>
            </div>
          {:else if importing.state === 'done'}<p class="font-semibold text-lichen">✓ {importing.words}.</p>
          {:else}
            <p class="problem">{importing.words}</p>
            {#if importing.broken_off}<button class="button mt-2" onclick={again}>Try again</button>{/if}
            {#if importing.problems.length}
              <div class="mt-2 max-h-69 overflow-y-auto">
                <table class="sheet-table text-small">
                  <thead><tr><th>line</th><th>column</th><th>what to do</th></tr></thead>
                  <tbody>
                    {#each importing.problems as p, k (k)}<tr
                        ><td>{p.row}</td><td class="whitespace-nowrap font-semibold">{p.column}</td><td>{p.detail}</td></tr
                      >{/each}
                  </tbody>
                </table>
              </div>
            {/if}
          {/if}
        </div>
      {/if}
      <div class="mt-5 flex justify-end"><Dialog.Close class="button">Close</Dialog.Close></div>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
