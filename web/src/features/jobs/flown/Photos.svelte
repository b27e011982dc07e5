<!-- Photos against the plan: a folder read here, or a table of positions; by line what was wanted and taken. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import { download } from '$shared/api/download';
  import { session } from '$shared/session.svelte';
  import { show } from '$shared/format/units';
  import { notices } from '$shared/ui/notices.svelte';
  import type { Flown } from './flown.svelte';
  import { readPhotos, type Progress } from './photos';

  let { flown, jobId, writable }: { flown: Flown; jobId: string; writable: boolean } = $props();
  const view = $derived(flown.view);
  let progress = $state.raw<Progress | null>(null);
  let stop = $state.raw<AbortController | null>(null);
  let problem = $state('');
  let unread = $state.raw<string[]>([]);
  let folder: HTMLInputElement | undefined = $state();
  let table: HTMLInputElement | undefined = $state();
  const short = $derived((view?.photo_lines ?? []).filter((x) => x.taken < x.wanted - 1 || x.doubled));

  async function take(list: FileList | null | undefined) {
    const files = [...(list ?? [])];
    if (!files.length) return;
    problem = '';
    unread = [];
    progress = { done: 0, total: files.length };
    stop = new AbortController();
    const stopped = stop.signal;
    const read = await readPhotos(files, (p) => (progress = p), stopped);
    progress = null;
    stop = null;
    if (stopped.aborted) return;
    unread = read.unread;
    const name = files[0]!.webkitRelativePath.split('/')[0] || `${read.columns.names.length} photos`;
    await keep(() =>
      call('POST', '/api/jobs/{job_id}/photos', { params: { path: { job_id: jobId } }, body: { ...read.columns, name } }),
    );
  }
  async function takeTable(list: FileList | null | undefined) {
    const file = list?.[0];
    if (!file) return;
    const form = new FormData();
    form.append('file', file);
    await keep(() =>
      call('POST', '/api/jobs/{job_id}/photos/table', {
        params: { path: { job_id: jobId } },
        body: form as never,
        bodySerializer: (b) => b as never,
      }),
    );
  }
  async function keep(ask: () => Promise<{ problem: { detail: string } | null }>) {
    const { problem: bad } = await ask();
    problem = bad?.detail ?? '';
    if (!bad) await flown.answer.load();
  }
  async function save(form: 'csv' | 'geojson') {
    const failed = await download(`/api/jobs/${jobId}/photos.${form}`);
    if (failed) notices.say(failed, { bad: true });
  }
  async function putAway(id: string, name: string) {
    const path = { params: { path: { photo_set_id: id } } };
    const { problem: bad } = await call('DELETE', '/api/photo-sets/{photo_set_id}', path);
    if (bad) return notices.say(bad.detail, { bad: true });
    const undo = async () => {
      await call('POST', '/api/photo-sets/{photo_set_id}/restore', path);
      await flown.answer.load();
    };
    notices.say(`${name} archived`, { undo: () => void undo() });
    await flown.answer.load();
  }
</script>

<h2 class="mb-1 mt-4 text-title">Photos</h2>
{#if progress}
  <div class="flex items-center gap-3" role="status">
    <progress class="min-w-0 flex-1" max={progress.total} value={progress.done}></progress>
    <span class="text-small tabular-nums">{progress.done} of {progress.total}</span>
    <button class="button small" onclick={() => stop?.abort()}>Cancel</button>
  </div>
{/if}
{#if problem}<p class="problem text-small" role="alert">{problem}</p>{/if}
{#if unread.length}<p class="text-small" role="status">
    {unread.length} could not be read: {unread.slice(0, 5).join(', ')}{unread.length > 5 ? ' …' : ''}
  </p>{/if}
<ul class="m-0 list-none p-0 text-small">
  {#each view?.photo_sets ?? [] as p (p.id)}
    <li class="border-b border-rule py-1">
      <div class="flex justify-between gap-2">
        <span class="min-w-0 [overflow-wrap:anywhere]"><b>{p.name}</b>, {p.count} photos</span>{#if writable}<button
            class="underline"
            aria-label="Archive {p.name}"
            onclick={() => putAway(p.id, p.name)}>archive</button
          >{/if}
      </div>
      {#each p.report as words (words)}<div class="quiet">{words}</div>{/each}
    </li>
  {/each}
</ul>
{#if view?.photo_lines?.length}
  <p class="mt-2 text-small" data-testid="photo-lines">
    {#if short.length}{short.length === 1 ? 'One line' : `${short.length} lines`} short of photos, or with some twice:{:else}All {view
        .photo_lines.length} lines have the photos they want.{/if}
  </p>
  {#if short.length}
    <table class="w-full border-collapse text-small">
      <thead
        ><tr class="quiet text-note"
          ><th class="text-left font-normal">line</th><th class="text-right font-normal">wanted</th><th
            class="text-right font-normal">taken</th
          ><th class="text-right font-normal">widest step</th><th class="text-right font-normal">twice</th></tr
        ></thead>
      <tbody>
        {#each short.slice(0, 40) as x (`${x.sortie} ${x.number}`)}
          <tr class="border-b border-rule"
            ><td>{x.sortie}, {x.number}</td><td class="text-right">{x.wanted}</td><td class="text-right">{x.taken}</td><td
              class="text-right">{x.widest_m == null ? '–' : show(x.widest_m, 'm', session.units)}</td
            ><td class="text-right">{x.doubled || ''}</td></tr>
        {/each}
      </tbody>
    </table>
  {/if}
{/if}
{#if writable}
  <div class="mt-2 flex flex-wrap gap-2">
    <button class="button" disabled={!!progress} onclick={() => folder?.click()}>Read a folder</button>
    <button class="button" disabled={!!progress} onclick={() => table?.click()}>From a CSV</button>
    {#if view?.photo_sets?.length}<button class="button" onclick={() => save('csv')}>Positions</button><button
        class="button"
        onclick={() => save('geojson')}>Footprints</button
      >{/if}
  </div>
  <p class="quiet mt-1 text-note">Photos stay on this device: only places, times and exposures are kept.</p>
  <input
    bind:this={folder}
    class="hidden"
    type="file"
    aria-label="Folder of photos"
    multiple
    webkitdirectory
    onchange={(e) => take(e.currentTarget.files).then(() => (folder!.value = ''))} />
  <input
    bind:this={table}
    class="hidden"
    type="file"
    aria-label="Table of photo positions"
    accept=".csv,.txt,.tsv"
    onchange={(e) => takeTable(e.currentTarget.files).then(() => (table!.value = ''))} />
{/if}
