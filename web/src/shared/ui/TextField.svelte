<script lang="ts">
  interface Props {
    label: string;
    value: string;
    onchange: (value: string) => void;
    type?: string;
    problem?: string;
    disabled?: boolean;
    autocomplete?: 'username' | 'current-password' | 'new-password' | 'one-time-code' | 'organization' | 'email' | 'off';
    live?: boolean;
    /** The id of a list of values to choose from. */
    list?: string;
    maxlength?: number;
  }
  let {
    label,
    value,
    onchange,
    type = 'text',
    problem = '',
    disabled = false,
    autocomplete = 'off',
    live = false,
    list,
    maxlength,
  }: Props = $props();
  const id = $props.id();
</script>

<div class="flex flex-col gap-1">
  <label for={id}>{label}</label>
  <input
    {id}
    class="input"
    {type}
    {disabled}
    {autocomplete}
    {list}
    {maxlength}
    {value}
    oninput={(e) => live && onchange(e.currentTarget.value)}
    onchange={(e) => onchange(e.currentTarget.value)}
    aria-invalid={problem ? 'true' : undefined}
    aria-describedby={problem ? `${id}-p` : undefined} />
  {#if problem}<p id="{id}-p" class="problem text-small" role="alert">{problem}</p>{/if}
</div>
