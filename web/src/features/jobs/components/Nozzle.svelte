<!-- What a job sprays with: a nozzle of the fleet, or one entered here; of rotary atomisers the flow that one takes. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';
  import { DROPLET_CLASSES, NOZZLE_SIZES } from '$shared/format/nozzles';
  import Choice from '$shared/ui/Choice.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import type { JobDraft } from '../state/draft.svelte';

  interface Props {
    draft: JobDraft;
    fleet: Schemas['FleetOut'] | null;
    writable: boolean;
  }
  let { draft, fleet, writable }: Props = $props();
  const job = $derived(draft.job!);
  const off = $derived(!writable);
  const rotary = $derived(job.work.nozzle_kind === 'rotary');
  const own = $derived((fleet?.nozzles ?? []).filter((n) => !n.archived));
  const work = (key: string) => Number(job.work[key] ?? 0);
  const set = (part: Record<string, number | string>) => draft.change({ work: { ...job.work, ...part } });
  const at = (key: string) => draft.problemAt(`work.${key}`, key);
  function take(name: string) {
    const n = own.find((x) => x.name === name);
    if (!n) return set({ nozzle: '' });
    const same = n.kind === 'rotary';
    set({
      nozzle: n.name,
      nozzle_kind: n.kind!,
      nozzle_size: same ? '' : n.size!,
      ...(n.least_bar == null ? {} : { least_bar: n.least_bar }),
      ...(n.most_bar == null ? {} : { most_bar: n.most_bar }),
      ...(n.least_l_min == null ? {} : { least_l_min: n.least_l_min }),
      ...(n.most_l_min == null ? {} : { most_l_min: n.most_l_min }),
    });
  }
</script>

{#if own.length}
  <Choice
    label="Nozzle of the fleet"
    value={String(job.work.nozzle ?? '')}
    empty="none of these"
    disabled={off}
    options={own.map((n) => ({ value: n.name, label: n.name }))}
    onchange={take} />
{/if}
{#if rotary}
  <NumberField
    label="Atomisers"
    digits={0}
    value={work('nozzles_count')}
    onchange={(v) => set({ nozzles_count: Math.round(v) })}
    problem={at('nozzles_count')}
    disabled={off} />
  {#each [['least_l_min', 'Flow of one from'], ['most_l_min', 'Flow of one to']] as const as [key, label] (key)}
    <NumberField
      {label}
      unit="L/min"
      digits={2}
      value={work(key)}
      onchange={(v) => set({ [key]: v })}
      problem={at(key)}
      disabled={off} />
  {/each}
{:else}
  <Choice
    label="Nozzle size"
    value={String(job.work.nozzle_size ?? '')}
    empty="not entered"
    disabled={off}
    options={NOZZLE_SIZES.map(([size, colour]) => ({ value: size, label: `${size} ${colour}` }))}
    onchange={(v) => set({ nozzle_size: v, nozzle: '' })}
    problem={at('nozzle_size')} />
  {#if job.work.nozzle_size}
    <NumberField
      label="Nozzles"
      digits={0}
      value={work('nozzles_count')}
      onchange={(v) => set({ nozzles_count: Math.round(v) })}
      problem={at('nozzles_count')}
      disabled={off} />
    {#each [['least_bar', 'Pressure from'], ['most_bar', 'Pressure to']] as const as [key, label] (key)}
      <NumberField {label} unit="bar" value={work(key)} onchange={(v) => set({ [key]: v })} problem={at(key)} disabled={off} />
    {/each}
  {/if}
{/if}
{#if rotary || job.work.nozzle_size}
  <Choice
    label="Droplets, by the maker's table"
    value={String(job.work.droplets ?? '')}
    empty="not entered"
    disabled={off}
    options={DROPLET_CLASSES.map((v) => ({ value: v, label: v }))}
    onchange={(v) => set({ droplets: v })} />
{/if}
