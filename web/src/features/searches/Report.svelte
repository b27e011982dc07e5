<!-- A report: a segment searched with its POD, a clue with how much likelier it makes some ground, or a find. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import type { Problem, Schemas } from '$shared/api/client';
  import { fileBody } from '$shared/api/file';
  import Choice from '$shared/ui/Choice.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import PhotoChoice from '$shared/ui/PhotoChoice.svelte';
  import TextField from '$shared/ui/TextField.svelte';

  interface Props {
    search: Schemas['SearchOut'];
    kind: 'searched' | 'clue' | 'find';
    picked: string;
    place: [number, number] | null;
    ontap: () => void;
    ondone: (search: Schemas['SearchOut'] | null) => void;
  }
  let { search, kind, picked, place, ontap, ondone }: Props = $props();
  let segment = $derived(picked || search.segments[0]?.id || '');
  let who = $state('');
  let method = $state<'observer' | 'coverage'>('observer');
  let detection = $state<number | null>(0.5);
  let coverage = $state<number | null>(1);
  let words = $state('');
  let certainty = $state('likely');
  let times = $state<number | null>(null);
  let typed = $derived(place ? `${place[1].toFixed(6)}, ${place[0].toFixed(6)}` : '');
  let problem = $state.raw<Problem | null>(null);
  let photo = $state('');
  let busy = $state(false);
  const key = crypto.randomUUID();
  const at = (field: string) => (problem?.field.endsWith(field) ? problem.detail : '');

  /** The photo is kept at once; the report names it. */
  async function keep(file: File) {
    busy = true;
    const { data, problem: bad } = await call('POST', '/api/searches/{search_id}/photos', {
      params: { path: { search_id: search.id } },
      ...fileBody(file),
    });
    busy = false;
    problem = bad;
    if (data) photo = data.key;
  }

  async function send(e: SubmitEvent) {
    e.preventDefault();
    let where: number[] | null = null;
    if (kind !== 'searched' && typed.trim()) {
      const read = await call('GET', '/api/jobs/place', { params: { query: { text: typed.slice(0, 120) } } });
      if (read.problem) {
        problem = { ...read.problem, field: 'place' };
        return;
      }
      where = read.data.at;
    }
    const figures =
      kind === 'searched'
        ? { segment, who, words, ...(method === 'observer' ? { detection_frac: detection } : { coverage }) }
        : {
            words,
            place: where,
            certainty,
            photos: photo ? [photo] : [],
            likelier: kind === 'clue' && times && segment ? { [segment]: times } : {},
          };
    const { data, problem: bad } = await call('POST', '/api/searches/{search_id}/reports', {
      params: { path: { search_id: search.id } },
      body: { key, kind, at: new Date().toISOString(), figures: figures as never },
    });
    problem = bad;
    if (data) ondone(data);
  }
  const segments = $derived(search.segments.map((s) => ({ value: s.id, label: s.name })));
</script>

<form class="mt-2 flex flex-col gap-2 border-line border-rule p-3" onsubmit={send}>
  {#if kind === 'searched'}
    <Choice label="Segment" value={segment} options={segments} onchange={(v) => (segment = v)} problem={at('segment')} />
    <TextField label="By whom" value={who} onchange={(v) => (who = v)} />
    <Choice
      label="POD"
      value={method}
      options={[
        { value: 'observer', label: 'as the observer puts it' },
        { value: 'coverage', label: 'by coverage' },
      ]}
      onchange={(v) => (method = v as 'observer')} />
    {#if method === 'observer'}
      <NumberField
        label="POD"
        unit="%"
        scale={100}
        digits={0}
        value={detection}
        onchange={(v) => (detection = v)}
        problem={at('detection_frac')} />
    {:else}
      <NumberField label="Coverage" digits={2} value={coverage} onchange={(v) => (coverage = v)} problem={at('coverage')} />
    {/if}
  {:else}
    <TextField label="Where, in any notation" value={typed} onchange={(v) => (typed = v)} problem={at('place')} />
    <button type="button" class="button justify-self-start" onclick={ontap}>Tap on the map</button>
    <Choice
      label="Certainty"
      value={certainty}
      options={['sure', 'likely', 'doubtful'].map((c) => ({ value: c, label: c }))}
      onchange={(v) => (certainty = v)} />
    {#if kind === 'clue' && segments.length}
      <Choice label="It speaks for segment" value={segment} options={segments} onchange={(v) => (segment = v)} />
      <NumberField
        label="How many times likelier there"
        hint="(if any)"
        digits={1}
        value={times}
        onchange={(v) => (times = v)}
        problem={at('likelier')} />
    {/if}
  {/if}
  {#if kind !== 'searched'}
    <PhotoChoice
      src={photo ? `/api/searches/photos/${photo}` : ''}
      {busy}
      problem={at('file') || at('photos')}
      onfile={(file) => void keep(file)}
      onremove={() => (photo = '')} />
  {/if}
  <TextField label="In words" value={words} onchange={(v) => (words = v)} maxlength={300} problem={at('words')} />
  {#if problem && !['segment', 'detection_frac', 'coverage', 'place', 'likelier', 'words', 'file', 'photos'].some(at)}<p
      class="problem m-0"
      role="alert">
      {problem.detail}
    </p>{/if}
  <div class="flex gap-2">
    <button class="button dark" disabled={busy}>{kind === 'find' ? 'Record find' : 'Record report'}</button>
    <button type="button" class="button" onclick={() => ondone(null)}>Cancel</button>
  </div>
</form>
