<script lang="ts">
  interface Props {
    label: string;
    value: string | null;
    options: { value: string; label: string }[];
    onchange: (value: string) => void;
    problem?: string;
    disabled?: boolean;
    stacked?: boolean;
    empty?: string;
  }
  let { label, value, options, onchange, problem = '', disabled = false, stacked = false, empty = '' }: Props = $props();
  const id = $props.id();
</script>

<div class={stacked ? 'flex flex-col gap-1' : 'grid grid-cols-[1fr_minmax(128px,168px)] items-center gap-x-3'}>
  <label for={id}>{label}</label>
  <select
    {id}
    class="input"
    {disabled}
    value={value ?? ''}
    onchange={(e) => onchange(e.currentTarget.value)}
    aria-invalid={problem ? 'true' : undefined}
    aria-describedby={problem ? `${id}-p` : undefined}>
    {#if empty}<option value="">{empty}</option>{/if}
    {#each options as o (o.value)}<option value={o.value}>{o.label}</option>{/each}
  </select>
  {#if problem}<p id="{id}-p" class="problem col-span-2 mt-1 text-small" role="alert">{problem}</p>{/if}
</div>
