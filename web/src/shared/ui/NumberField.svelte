<script lang="ts">
  import { session } from '$shared/session.svelte';
  import { fromShown, toShown, unitOf, type Quantity } from '$shared/format/units';

  interface Props {
    label: string;
    value: number | null;
    onchange: (value: number) => void;
    quantity?: Quantity;
    unit?: string;
    /** Shown value = stored value × scale, for shares shown as percent and the like. */
    scale?: number;
    digits?: number;
    problem?: string;
    disabled?: boolean;
    stacked?: boolean;
    hint?: string;
  }
  let {
    label,
    value,
    onchange,
    quantity,
    unit = '',
    scale = 1,
    digits = 1,
    problem = '',
    disabled = false,
    stacked = false,
    hint = '',
  }: Props = $props();

  const id = $props.id();
  const shownUnit = $derived(quantity ? unitOf(quantity, session.units) : unit);
  const shown = $derived.by(() => {
    if (value === null) return '';
    const v = quantity ? toShown(value, quantity, session.units) : value * scale;
    return String(Number(v.toFixed(digits)));
  });
  let typed = $state<string | null>(null);
  const wrong = $derived(typed !== null && typed.trim() !== '' && Number.isNaN(read(typed)));
  const message = $derived(wrong ? 'This is not a number.' : problem);

  function read(text: string): number {
    return Number(text.trim().replace(',', '.').replace('−', '-'));
  }

  function commit() {
    if (typed === null) return;
    const n = read(typed);
    if (typed.trim() === '' || Number.isNaN(n)) {
      if (typed.trim() === '') typed = null;
      return;
    }
    typed = null;
    const stored = quantity ? fromShown(n, quantity, session.units) : n / scale;
    if (value === null || Math.abs(stored - value) > 1e-9) onchange(stored);
  }
</script>

<div class={stacked ? 'flex flex-col gap-1' : 'grid grid-cols-[1fr_128px] items-center gap-x-3'}>
  <label for={id}
    >{label}{#if hint}<span class="quiet ml-1">{hint}</span>{/if}</label>
  <div class="relative">
    <input
      {id}
      class="input text-right"
      style="padding-right: {shownUnit ? 18 + shownUnit.length * 9.5 : 10}px"
      inputmode="decimal"
      autocomplete="off"
      {disabled}
      value={typed ?? shown}
      oninput={(e) => (typed = e.currentTarget.value)}
      onblur={commit}
      onkeydown={(e) => {
        if (e.key === 'Enter') commit();
        if (e.key === 'Escape') typed = null;
      }}
      aria-invalid={message ? 'true' : undefined}
      aria-describedby={message ? `${id}-p` : undefined} />
    {#if shownUnit}<span class="quiet pointer-events-none absolute right-2.5 top-1/2 -translate-y-1/2">{shownUnit}</span>{/if}
  </div>
  {#if message}<p id="{id}-p" class="problem col-span-2 mt-1 text-small" role="alert">{message}</p>{/if}
</div>
