<!-- Who searches: aircraft with sensor, height, speed and sweep widths, teams on foot and dogs, until when. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';
  import { call } from '$shared/api/call';
  import { resource } from '$shared/resource.svelte';
  import { zone } from '$shared/format/dates';
  import Choice from '$shared/ui/Choice.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import { COVERS, untilAt, type Asked } from './what';

  interface Props {
    search: Schemas['SearchOut'];
    writable: boolean;
    at: (field: string) => string;
    onsave: (over: Partial<Asked>) => void;
  }
  let { search, writable, at, onsave }: Props = $props();
  const fleet = resource(() => call('GET', '/api/fleet'));
  const craft = $derived((fleet.value?.aircraft ?? []).filter((a) => !a.archived || search.aircraft_ids.includes(String(a.id))));
  const modelOf = (id: string) => fleet.value?.aircraft_models.find((m) => m.id === id)?.name ?? '';
  const off = $derived(!writable);
  const LAWS = [
    { value: 'random', label: 'random search' },
    { value: 'inverse_cube', label: 'inverse cube' },
    { value: 'definite', label: 'perfect sweep' },
  ];
  const team = (k: number, over: Partial<Schemas['TeamFields']>) =>
    onsave({ teams: search.teams.map((t, nth) => (nth === k ? { ...t, ...over } : t)) });
  const add = (kind: 'team' | 'dog') => {
    const n = search.teams.filter((t) => t.kind === kind).length + 1;
    onsave({ teams: [...search.teams, { name: `${kind === 'team' ? 'Team' : 'Dog'} ${n}`, kind, speed_m_s: 0.6 } as never] });
  };
  const widthOf = (cover: string) => search.widths[cover] ?? null;
  const seen = $derived(
    Object.fromEntries(search.segments.map((s) => [s.cover, `${Math.round(s.width_m)} m, ${s.width_from}`] as const)),
  );
</script>

<h2 class="mt-3">Aircraft</h2>
<Failed of={fleet} />
<div class="flex flex-col gap-1">
  {#each craft as a (a.id)}
    <label class="flex min-h-8 items-center gap-2"
      ><input
        type="checkbox"
        class="size-4"
        disabled={off}
        checked={search.aircraft_ids.includes(String(a.id))}
        onchange={(e) =>
          onsave({
            aircraft_ids: e.currentTarget.checked
              ? [...search.aircraft_ids, String(a.id)]
              : search.aircraft_ids.filter((x) => x !== String(a.id)),
          })} />{a.name} <span class="quiet">{modelOf(a.model_id)}</span></label>
  {:else}{#if fleet.value}<p class="quiet m-0">No aircraft yet: add one in Fleet and models.</p>{/if}{/each}
</div>
<div class="mt-2 flex flex-col gap-2">
  <Choice
    label="Sensor"
    value={search.sensor}
    disabled={off}
    options={[
      { value: 'camera', label: 'eye on the screen' },
      { value: 'thermal', label: 'thermal' },
    ]}
    onchange={(v) => onsave({ sensor: v as 'camera' })} />
  <NumberField
    label="Height above ground"
    quantity="m"
    digits={0}
    value={search.height_m}
    disabled={off}
    problem={at('height_m')}
    onchange={(v) => onsave({ height_m: v })} />
  <NumberField
    label="Speed on the lines"
    quantity="m_s"
    value={search.speed_m_s}
    disabled={off}
    problem={at('speed_m_s')}
    onchange={(v) => onsave({ speed_m_s: v })} />
  <Choice
    label="Detection model"
    value={search.law}
    disabled={off}
    options={LAWS}
    onchange={(v) => onsave({ law: v as 'random' })} />
  <div class="grid grid-cols-[1fr_minmax(128px,168px)] items-center gap-x-3">
    <label for="until">Plan until</label>
    <input
      id="until"
      class="input"
      type="time"
      disabled={off}
      value={search.until ? search.until.slice(11, 16) : ''}
      onchange={(e) => onsave({ until: untilAt(e.currentTarget.value, new Date(), zone()) })} />
    {#if at('until')}<p class="problem col-span-2 mt-1 text-small" role="alert">{at('until')}</p>{:else if !search.until}<p
        class="quiet col-span-2 m-0 text-small">
        Empty: three hours from now; where it is dark, from first light.
      </p>{/if}
  </div>
</div>
<h3 class="mt-4">Sweep width by ground cover</h3>
<p class="quiet m-0 text-small">
  Empty: your newest trial, else assumed. In force: {Object.entries(seen)
    .map(([c, w]) => `${c} ${w}`)
    .join('; ') || 'no segments yet'}.
</p>
<div class="mt-1 grid grid-cols-2 gap-x-4 gap-y-1">
  {#each COVERS as c (c.value)}
    <NumberField
      label={c.label}
      quantity="m"
      digits={0}
      value={widthOf(c.value)}
      disabled={off}
      problem={at(`widths.${c.value}`)}
      onchange={(v) => onsave({ widths: { ...search.widths, [c.value]: v } })} />
  {/each}
</div>
{#if writable && Object.keys(search.widths).length}<button class="button small mt-2" onclick={() => onsave({ widths: {} })}
    >Clear entered widths</button
  >{/if}
<h2 class="mt-4">On foot</h2>
{#each search.teams as t, k (k)}
  <section class="mt-1 border-t border-rule pt-2" aria-label={t.name}>
    <TextField
      label="Name"
      value={t.name}
      disabled={off}
      onchange={(v) => v.trim() && team(k, { name: v.trim().slice(0, 40) })} />
    <div class="mt-1 flex flex-col gap-1">
      <Choice
        label="Searches as"
        value={t.kind}
        disabled={off}
        options={[
          { value: 'team', label: 'team on foot' },
          { value: 'dog', label: 'dog' },
        ]}
        onchange={(v) => team(k, { kind: v as 'team' })} />
      <NumberField
        label="Speed while searching"
        quantity="m_s"
        digits={2}
        value={t.speed_m_s}
        disabled={off}
        problem={at(`teams.${k}.speed_m_s`)}
        onchange={(v) => team(k, { speed_m_s: v })} />
      <div class="flex items-end gap-3">
        <label class="flex flex-col gap-1 text-small"
          >From<input
            class="input"
            type="time"
            disabled={off}
            value={t.from_clock}
            onchange={(e) => team(k, { from_clock: e.currentTarget.value })} /></label>
        <label class="flex flex-col gap-1 text-small"
          >Until<input
            class="input"
            type="time"
            disabled={off}
            value={t.until_clock}
            onchange={(e) => team(k, { until_clock: e.currentTarget.value })} /></label>
        {#if writable}<button
            class="button small ml-auto"
            onclick={() => onsave({ teams: search.teams.filter((_, nth) => nth !== k) })}>Remove</button
          >{/if}
      </div>
    </div>
  </section>
{:else}<p class="quiet m-0">No team and no dog yet.</p>{/each}
{#if writable}<div class="mt-2 flex gap-2">
    <button class="button" onclick={() => add('team')}>Add team</button>
    <button class="button" onclick={() => add('dog')}>Add dog</button>
  </div>{/if}
