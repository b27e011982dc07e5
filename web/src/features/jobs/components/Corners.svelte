<!-- Corners and home as numbers: the same as on the map, by keyboard. -->
<script lang="ts">
  import Choice from '$shared/ui/Choice.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import type { Job, JobDraft } from '../state/draft.svelte';

  let { draft, writable }: { draft: JobDraft; writable: boolean } = $props();
  type Place = [number, number];
  const MOST = 60;
  const job = $derived(draft.job!);
  const nth = $derived(Math.min(draft.area, job.areas.length - 1));
  const area = $derived((job.areas[nth]?.ring ?? []) as Place[]);
  const line = $derived(job.areas[nth]?.corridor_m != null);
  const setRing = (ring: Place[]) => draft.change({ areas: job.areas.map((a, i) => (i === nth ? { ...a, ring } : a)) });

  function move(k: number, axis: 0 | 1, text: string) {
    const value = Number(text.replace(',', '.'));
    if (text.trim() === '' || !Number.isFinite(value)) return;
    const place: Place = [...area[k]!];
    place[axis] = value;
    setRing(area.map((p, i) => (i === k ? place : p)));
  }
  function add(k: number) {
    const a = area[k]!;
    const b = area[(k + 1) % area.length]!;
    const between: Place = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
    setRing([...area.slice(0, k + 1), between, ...area.slice(k + 1)]);
  }
  function setHome(axis: 0 | 1, text: string) {
    const value = Number(text.replace(',', '.'));
    if (text.trim() === '' || !Number.isFinite(value)) return;
    const home: Place = [...((job.home as Place | null) ?? area[0] ?? [0, 0])];
    home[axis] = value;
    draft.change({ home });
  }
</script>

{#snippet pair(name: string, place: Place | null, set: (axis: 0 | 1, text: string) => void)}
  {#each [1, 0] as axis (axis)}
    <input
      class="input !px-1.5 text-small"
      inputmode="decimal"
      aria-label="{name}, {axis ? 'latitude' : 'longitude'}"
      value={place ? place[axis]!.toFixed(6) : ''}
      disabled={!writable}
      onchange={(e) => set(axis as 0 | 1, e.currentTarget.value)} />
  {/each}
{/snippet}
<div class="grid grid-cols-[1fr_64px] gap-2 pb-2 pt-1">
  <TextField
    label="Place"
    value={job.place}
    disabled={!writable}
    onchange={(v) => draft.change({ place: v.trim() })}
    problem={draft.problemAt('place')} />
  <TextField
    label="Letter"
    value={job.letter}
    disabled={!writable}
    onchange={(v) => draft.change({ letter: v.trim().toUpperCase() })}
    problem={draft.problemAt('letter', 'job.letter')} />
</div>
<Choice
  label="Kind of work"
  value={job.kind}
  disabled={!writable}
  options={['mapping', 'spraying', 'search'].map((k) => ({ value: k, label: k }))}
  onchange={(v) => draft.change({ kind: v as Job['kind'], work: {} })} />
{#if job.areas.length > 1}<Choice
    label="Corners of"
    value={String(nth)}
    options={job.areas.map((a, k) => ({ value: String(k), label: a.name || `area ${k + 1}` }))}
    onchange={(v) => (draft.area = Number(v))} />{/if}
<div class="mt-2 grid grid-cols-[42px_1fr_1fr_32px_32px] items-center gap-1 pb-2 text-small">
  <span class="quiet"></span><span class="quiet">latitude</span><span class="quiet">longitude</span><span></span><span></span>
  <b>home</b>{@render pair('Home', job.home as Place | null, setHome)}<span></span><span></span>
  {#each area.slice(0, MOST) as place, k (k)}
    <b>{k + 1}</b>{@render pair(`Corner ${k + 1}`, place, (axis, text) => move(k, axis, text))}
    <button class="button plain !px-1" aria-label="Add a corner after {k + 1}" disabled={!writable} onclick={() => add(k)}
      >+</button>
    <button
      class="button plain !px-1"
      aria-label="Delete corner {k + 1}"
      disabled={!writable || area.length < (line ? 3 : 4)}
      onclick={() => setRing(area.filter((_, i) => i !== k))}>×</button>
  {/each}
</div>
{#if draft.problemAt('home')}<p class="problem mb-2 text-small" role="alert">
    {draft.problemAt('home')}
  </p>{/if}
{#if !area.length}<p class="quiet mb-2 text-small">
    No corners yet: draw the outline (O) or drop a file on the map.
  </p>{:else if area.length > MOST}<p class="quiet mb-2 text-small">
    The first {MOST} of {area.length} corners; move the others on the map.
  </p>{/if}
