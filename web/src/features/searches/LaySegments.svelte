<!-- Segments laid: a net, ground parted along paths and banks, or outlines from a file. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import { fileBody } from '$shared/api/file';
  import type { Schemas } from '$shared/api/client';
  import { session } from '$shared/session.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import { segmentsOf } from './what';

  interface Props {
    search: Schemas['SearchOut'];
    onlaid: (search: Schemas['SearchOut']) => void;
    onimported: (segments: { id: string; name: string; ring: [number, number][] }[]) => void;
  }
  let { search, onlaid, onimported }: Props = $props();
  let side = $state(300);
  let bearing = $state(0);
  let said = $state('');
  let bad = $state(false);
  let input: HTMLInputElement | undefined = $state();
  const drawn = $derived(search.paths.length + search.waters.length > 0);

  async function lay(how: 'net' | 'paths') {
    const { data, problem } = await call('POST', '/api/searches/{search_id}/segments', {
      params: { path: { search_id: search.id } },
      body: { how, side_m: side, bearing_deg: bearing },
    });
    bad = !!problem;
    said = problem ? problem.detail : `${data.segments.length} segments`;
    if (data) onlaid(data);
  }
  async function read(file: File | undefined) {
    if (!file) return;
    said = `Reading ${file.name} …`;
    const { data, problem } = await call('POST', '/api/jobs/boundary', fileBody(file));
    bad = !!problem;
    if (problem) {
      said = problem.detail;
      return;
    }
    const { segments, notes } = segmentsOf(data, search.segments);
    said = [`${segments.length} segments from ${file.name}.`, ...notes].join(' ');
    bad = !segments.length;
    if (segments.length) onimported(segments);
  }
</script>

<h2 class="mt-3">Lay segments</h2>
<div class="flex flex-col gap-1">
  <NumberField label="Net, side" quantity="m" digits={0} value={side} onchange={(v) => (side = v)} />
  <NumberField label="Net, bearing" unit="°" digits={0} value={bearing} onchange={(v) => (bearing = v)} />
</div>
<div class="mt-2 flex flex-wrap gap-2">
  <button class="button" disabled={!search.point} onclick={() => void lay('net')}>Lay net</button>
  <button
    class="button"
    disabled={!search.point || !drawn}
    title={drawn ? '' : 'Draw paths or water first'}
    onclick={() => void lay('paths')}>Part along paths</button>
  <button class="button" onclick={() => input?.click()}>Import outlines</button>
  <input
    bind:this={input}
    type="file"
    class="hidden"
    aria-label="File with outlines"
    disabled={!session.may('jobs:write')}
    onchange={(e) => {
      void read(e.currentTarget.files?.[0]);
      e.currentTarget.value = '';
    }} />
</div>
{#if said}<p class="m-0 mt-1 text-small {bad ? 'problem' : 'quiet'}" role={bad ? 'alert' : 'status'}>{said}</p>{/if}
