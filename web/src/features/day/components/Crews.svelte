<!-- Who flies several aircraft: one of them at a time. -->
<script lang="ts">
  import Choice from '$shared/ui/Choice.svelte';
  import { crewNumbers, crewsWith } from '../words/crews';

  interface Props {
    crews: string[][];
    aircraft: { id: string; name: string }[];
    off: boolean;
    onchange: (crews: string[][]) => void;
  }
  let { crews, aircraft, off, onchange }: Props = $props();
  const ids = $derived(aircraft.map((a) => a.id));
  const numbers = $derived(crewNumbers(crews, ids));
</script>

<div data-testid="crews">
  <h2 class="mb-1">Crews</h2>
  <p class="quiet m-0 mb-1 text-small">A crew flies one of its aircraft at a time. Packs of the others are swapped meanwhile.</p>
  <div class="flex flex-col gap-1.5">
    {#each aircraft as a (a.id)}
      <Choice
        label={a.name}
        value={String(numbers.get(a.id))}
        disabled={off}
        options={aircraft.map((_, k) => ({ value: String(k + 1), label: `crew ${k + 1}` }))}
        onchange={(v) => onchange(crewsWith(numbers, a.id, Number(v), crews))} />
    {/each}
  </div>
</div>
