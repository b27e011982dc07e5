<!-- A group of flights: by pack, model, aircraft, job, firmware, and within bounds of date, air, wind and payload. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';
  import Choice from '$shared/ui/Choice.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import TextField from '$shared/ui/TextField.svelte';

  type Group = Schemas['GroupIn'];
  interface Props {
    title: string;
    mark: string;
    dash: string;
    group: Group;
    known: Schemas['GroupingsOut'];
    problem: string;
  }
  let { title, mark, dash, group = $bindable(), known, problem }: Props = $props();
  const PICKS = $derived([
    { key: 'pack_id' as const, label: 'pack', of: known.packs },
    { key: 'pack_model_id' as const, label: 'model of pack', of: known.pack_models },
    { key: 'aircraft_id' as const, label: 'aircraft', of: known.aircraft },
    { key: 'aircraft_model_id' as const, label: 'model of aircraft', of: known.aircraft_models },
    { key: 'job_id' as const, label: 'job', of: known.jobs },
    { key: 'firmware' as const, label: 'firmware', of: known.firmware.map((f) => ({ id: f, name: f })) },
  ]);
  const BOUNDS = [
    { low: 'least_air_c' as const, high: 'most_air_c' as const, label: 'Air', quantity: 'c' as const },
    { low: 'least_wind_m_s' as const, high: 'most_wind_m_s' as const, label: 'Wind met', quantity: 'm_s' as const },
    { low: 'least_pack_c' as const, high: 'most_pack_c' as const, label: 'Pack at take-off', quantity: 'c' as const },
    { low: 'least_payload_kg' as const, high: 'most_payload_kg' as const, label: 'Payload', unit: 'kg' },
  ];
  const put = (change: Partial<Group>) => {
    const next = { ...group, ...change };
    group = Object.fromEntries(Object.entries(next).filter(([, v]) => v !== '' && v !== null && v !== undefined)) as Group;
  };
</script>

<section class="border-l-3 pl-3" style="border-color: {mark}" aria-label="Group {title.toLowerCase()}">
  <div class="mb-2 flex items-center gap-2">
    <svg width="34" height="8" aria-hidden="true"
      ><path d="M0 4H34" stroke={mark} stroke-width="2.8" stroke-dasharray={dash} /></svg>
    <h2>{title}</h2>
    <button class="button small plain ml-auto" onclick={() => (group = {})}>All flights</button>
  </div>
  <div class="grid grid-cols-2 gap-x-3 gap-y-2">
    {#each PICKS as p (p.key)}
      {#if p.of.length > 1 || p.key === 'pack_id'}
        <Choice
          label={p.label}
          stacked
          value={(group[p.key] as string) ?? ''}
          empty="any"
          options={p.of.map((o) => ({ value: o.id, label: o.name }))}
          onchange={(v) => put({ [p.key]: v })} />
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
          label="{b.label}, least"
          stacked
          quantity={b.quantity}
          unit={b.unit}
          value={group[b.low] ?? null}
          onchange={(v) => put({ [b.low]: v })} />
        <NumberField
          label="most"
          stacked
          quantity={b.quantity}
          unit={b.unit}
          value={group[b.high] ?? null}
          onchange={(v) => put({ [b.high]: v })} />
      {/each}
    </div>
  </details>
  {#if problem}<p class="problem mt-2" role="alert">{problem}</p>{/if}
</section>
