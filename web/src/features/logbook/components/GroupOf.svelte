<!-- A group of flights: by pack, model, aircraft, job, person, firmware, season, and within bounds of date, air, wind and payload. -->
<script lang="ts">
  import Choice from '$shared/ui/Choice.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import { letterOf, LINES, nameOfGroup, WAYS, type Group, type Known } from '../words/groups';

  interface Props {
    place: number;
    group: Group;
    known: Known;
    flights: number | null;
    problem: string;
    open: boolean;
    onchange: (group: Group) => void;
    ontoggle: () => void;
    remove: (() => void) | null;
  }
  let { place, group, known, flights, problem, open, onchange, ontoggle, remove }: Props = $props();
  const id = $props.id();
  const line = $derived(LINES[place]!);
  const letter = $derived(letterOf(place));
  const BOUNDS = [
    { low: 'least_air_c' as const, high: 'most_air_c' as const, label: 'Air', quantity: 'c' as const },
    { low: 'least_wind_m_s' as const, high: 'most_wind_m_s' as const, label: 'Wind met', quantity: 'm_s' as const },
    { low: 'least_pack_c' as const, high: 'most_pack_c' as const, label: 'Pack at take-off', quantity: 'c' as const },
    { low: 'least_payload_kg' as const, high: 'most_payload_kg' as const, label: 'Payload', unit: 'kg' },
  ];
  const put = (change: Partial<Group>) => {
    const next = { ...group, ...change };
    onchange(Object.fromEntries(Object.entries(next).filter(([, v]) => v !== '' && v !== null && v !== undefined)) as Group);
  };
</script>

<section class="border-l-3 pl-3" style="border-color: {line.colour}" aria-label="Group {letter}">
  <div class="flex items-start gap-2">
    <svg class="mt-2 shrink-0" width="44" height="8" aria-hidden="true"
      ><path d="M0 4H44" stroke={line.colour} stroke-width="2.8" stroke-dasharray={line.dash} /></svg>
    <div class="min-w-0 flex-1">
      <h2 class="[overflow-wrap:anywhere]">
        <span class="visually-hidden">Group</span>
        {letter}: {nameOfGroup(known, group)}
      </h2>
      <div class="quiet text-note">
        {line.words}{flights === null ? '' : `, ${flights} ${flights === 1 ? 'flight' : 'flights'}`}
      </div>
    </div>
    <button
      class="button small plain"
      aria-expanded={open}
      aria-controls="{id}-of"
      aria-label="Choose flights of group {letter}"
      onclick={ontoggle}>Choose</button>
    {#if remove}<button class="button small plain" aria-label="Remove group {letter}" onclick={remove}>Remove</button>{/if}
  </div>
  {#if open}
    <div id="{id}-of" class="mt-2">
      <div class="grid grid-cols-2 gap-x-3 gap-y-2 max-phone:grid-cols-1">
        {#each WAYS as w (w.by)}
          {#if w.of(known).length > 1 || w.by === 'pack'}
            <Choice
              label={w.label}
              stacked
              value={(group[w.key] as string) ?? ''}
              empty="any"
              options={w
                .of(known)
                .map((o) => ({ value: o.id, label: `${o.name}, ${o.flights} ${o.flights === 1 ? 'flight' : 'flights'}` }))}
              onchange={(v) => put({ [w.key]: v })} />
          {/if}
        {/each}
      </div>
      <details class="mt-2">
        <summary class="cursor-pointer text-small">between bounds</summary>
        <div class="mt-2 grid grid-cols-2 gap-x-3 gap-y-2">
          <TextField label="from" type="date" live value={group.begins ?? ''} onchange={(v) => put({ begins: v })} />
          <TextField label="to" type="date" live value={group.ends ?? ''} onchange={(v) => put({ ends: v })} />
          {#each BOUNDS as b (b.low)}
            <NumberField
              label="{b.label}, min"
              stacked
              quantity={b.quantity}
              unit={b.unit}
              value={group[b.low] ?? null}
              onchange={(v) => put({ [b.low]: v })} />
            <NumberField
              label="max"
              stacked
              quantity={b.quantity}
              unit={b.unit}
              value={group[b.high] ?? null}
              onchange={(v) => put({ [b.high]: v })} />
          {/each}
        </div>
      </details>
      <button class="button small plain mt-2" onclick={() => onchange({})}>All flights</button>
    </div>
  {/if}
  {#if problem}<p class="problem mt-2" role="alert">{problem}</p>{/if}
</section>
