<!-- A number by big keys, for gloves: percent, volts or degrees, with what is most likely already there. -->
<script lang="ts">
  interface Props {
    label: string;
    unit: string;
    value: string;
    decimals?: boolean;
    problem?: string;
    /** At a desk with a keyboard: no keys on the screen. */
    compact?: boolean;
  }
  let { label, unit, value = $bindable(), decimals = false, problem = '', compact = false }: Props = $props();
  const uid = $props.id();
  let fresh = $state(true);
  const keys = $derived(['7', '8', '9', '4', '5', '6', '1', '2', '3', decimals ? '.' : '', '0', '⌫']);
  function press(k: string) {
    if (k === '⌫') value = fresh ? '' : value.slice(0, -1);
    else if (fresh) value = k === '.' ? '0.' : k;
    else if (!(k === '.' && value.includes('.')) && value.length < 6) value += k;
    fresh = false;
  }
</script>

<div>
  <label class="flex items-baseline justify-between gap-3 text-title" for="{uid}-v"
    >{label}<span class="quiet">{unit}</span></label>
  <input
    id="{uid}-v"
    class="input sharp text-right {compact ? '!h-12.5 !text-page' : '!h-18 !text-call'}"
    inputmode={decimals ? 'decimal' : 'numeric'}
    autocomplete="off"
    bind:value
    oninput={() => (fresh = false)}
    aria-invalid={!!problem}
    aria-describedby={problem ? `${uid}-p` : undefined} />
  {#if problem}<p id="{uid}-p" class="problem m-0 mt-1">{problem}</p>{/if}
  {#if !compact}<div class="mt-2 grid grid-cols-3 gap-2" role="group" aria-label="Keys for {label}">
      {#each keys as k, n (n)}{#if k}<button type="button" class="button !min-h-tap-large !text-page" onclick={() => press(k)}
            >{#if k === '⌫'}<span class="visually-hidden">Delete the last figure</span><span aria-hidden="true">⌫</span
              >{:else}{k}{/if}</button
          >{:else}<span></span>{/if}{/each}
    </div>{/if}
</div>
