<!-- Where to look: what is known of the person, the ways of estimating side by side with how much each counts. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';
  import { call } from '$shared/api/call';
  import { percent } from '$shared/format/units';
  import { resource } from '$shared/resource.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import type { Asked } from './what';

  interface Props {
    search: Schemas['SearchOut'];
    writable: boolean;
    at: (field: string) => string;
    onsave: (over: Partial<Asked>) => void;
    onhead: (head: { name?: string; person?: string; kind_id?: string | null }) => void;
  }
  let { search, writable, at, onsave, onhead }: Props = $props();
  const kinds = resource(() => call('GET', '/api/person-kinds'));
  const off = $derived(!writable);
  const COUNTS: Record<string, 'rings' | 'travel' | 'people' | 'typed'> = {
    rings: 'rings',
    travel: 'travel',
    people: 'people',
    typed: 'typed',
  };
  const WEIGHTS = [
    ['rings', 'Rings round the last known point'],
    ['travel', 'How far on foot, over relief and paths'],
    ['people', 'People’s estimates together'],
    ['typed', 'Shares typed at segments'],
  ] as const;
  let by = $state('');
  let estimating = $state('');
  const estimate = $derived(search.estimates.find((e) => e.by === estimating) ?? null);
  function estimated(id: string, value: number) {
    onsave({
      estimates: search.estimates.map((e) =>
        e.by !== estimating ? e : id === 'rest' ? { ...e, rest: value } : { ...e, of: { ...e.of, [id]: value } },
      ),
    });
  }
  function addEstimate() {
    const name = by.trim().slice(0, 40);
    if (!name || search.estimates.some((e) => e.by === name)) return;
    const even = Object.fromEntries(search.segments.map((s) => [s.id, 1]));
    const weights = search.weights.people ? search.weights : { ...search.weights, people: 1 };
    onsave({ estimates: [...search.estimates, { by: name, of: even, rest: 1 }], weights });
    estimating = name;
    by = '';
  }
</script>

<h2 class="mt-3">Looked for</h2>
<div class="flex flex-col gap-2">
  <TextField
    label="What to look for"
    value={search.person}
    maxlength={300}
    disabled={off}
    onchange={(v) => onhead({ person: v })} />
  <p class="quiet m-0 text-small">Only what the search needs: clothing, size, sounds. It can be deleted at the end.</p>
  <Failed of={kinds} />
  <Choice
    label="Kind of person"
    value={search.kind_id ?? ''}
    empty="not known"
    disabled={off}
    options={(kinds.value ?? []).map((k) => ({ value: String(k.id), label: k.example ? `${k.name} (example)` : k.name }))}
    onchange={(v) => onhead({ kind_id: v || null })} />
  <a class="text-small" href="/searches/kinds">Tables of distances and trials of sweep width</a>
  <NumberField
    label="Radius"
    quantity="m"
    digits={0}
    value={search.radius_m}
    disabled={off}
    problem={at('radius_m')}
    onchange={(v) => onsave({ radius_m: v })} />
  <NumberField
    label="Rest of the world, typed"
    unit="%"
    scale={100}
    digits={0}
    value={search.rest}
    disabled={off}
    problem={at('rest')}
    onchange={(v) => onsave({ rest: v })} />
</div>
<h3 class="mt-4">How much each way counts</h3>
<div class="flex flex-col gap-1">
  {#each WEIGHTS as [key, label] (key)}
    <NumberField
      {label}
      digits={1}
      value={search.weights[key] ?? 0}
      disabled={off}
      problem={at(`weights.${key}`)}
      onchange={(v) => onsave({ weights: { ...search.weights, [key]: Math.max(0, v) } })} />
  {/each}
</div>
{#if search.ways.length}
  <h3 class="mt-4">Side by side</h3>
  <div class="overflow-x-auto">
    <table class="sheet-table w-full text-small" aria-label="Shares by each way of estimating">
      <thead
        ><tr
          ><th>segment</th>{#each search.ways as w (w.key)}<th class="!text-right"
              >{w.words}{COUNTS[w.key] ? ` × ${w.weight}` : ''}</th
            >{/each}<th class="!text-right">in force</th></tr
        ></thead>
      <tbody>
        {#each search.segments as s, k (s.id)}<tr
            ><td>{s.name}</td>{#each search.ways as w (w.key)}<td class="text-right">{percent(w.shares[k] ?? 0, 1)}</td>{/each}<td
              class="text-right font-semibold">{percent(s.began_frac, 1)}</td
            ></tr
          >{/each}
        <tr
          ><td>rest of the world</td>{#each search.ways as w (w.key)}<td class="text-right">{percent(w.rest_frac, 1)}</td
            >{/each}<td></td></tr>
      </tbody>
    </table>
  </div>
{/if}
<h3 class="mt-4">People’s estimates</h3>
{#if search.estimates.length}<Choice
    label="Estimate by"
    value={estimating}
    empty="choose"
    options={search.estimates.map((e) => ({ value: e.by, label: e.by }))}
    onchange={(v) => (estimating = v)} />{:else}<p class="quiet m-0">Nobody has estimated yet.</p>{/if}
{#if estimate}
  <p class="quiet m-0 mt-1 text-small">A number for each segment on any scale; it is evened to 100 %.</p>
  <div class="mt-1 grid grid-cols-2 gap-x-4 gap-y-1">
    {#each search.segments as s (s.id)}<NumberField
        label={s.name}
        digits={2}
        value={estimate.of[s.id] ?? 0}
        disabled={off}
        onchange={(v) => estimated(s.id, Math.max(0, v))} />{/each}
    <NumberField
      label="rest of the world"
      digits={2}
      value={estimate.rest ?? 0}
      disabled={off}
      onchange={(v) => estimated('rest', Math.max(0, v))} />
  </div>
  {#if writable}<button
      class="button small mt-2"
      onclick={() => {
        onsave({ estimates: search.estimates.filter((e) => e.by !== estimating) });
        estimating = '';
      }}>Remove this estimate</button
    >{/if}
{/if}
{#if writable && search.segments.length}<div class="mt-2 flex items-end gap-2">
    <TextField label="Who estimates" value={by} live onchange={(v) => (by = v)} maxlength={40} />
    <button class="button" disabled={!by.trim()} onclick={addEstimate}>Add estimate</button>
  </div>{/if}
