<!-- What to take, for the evening before: made from the plan, to tick off and to print. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import { Resource } from '$shared/resource.svelte';
  import Failed from '$shared/ui/Failed.svelte';

  let { id, number }: { id: string; number: number } = $props();
  const packing = new Resource(() => call('GET', '/api/days/{day_id}/packing', { params: { path: { day_id: id } } }));
  const lines = $derived(packing.value);
  let done = $state<string[]>([]);
  $effect(() => {
    void number;
    void packing.load();
  });
  const groups = $derived([...new Set((lines ?? []).map((l) => l.group))]);
</script>

<section aria-label="Packing list" data-testid="packing">
  <Failed of={packing} />
  {#if lines === null}
    {#if !packing.problem}<p class="quiet" role="status">Packing …</p>{/if}
  {:else}
    <div class="columns-2 gap-8 max-phone:columns-1">
      {#each groups as g (g)}
        <div class="mb-3 break-inside-avoid">
          <h3 class="m-0 text-small font-semibold">{g}</h3>
          {#each lines.filter((l) => l.group === g) as l (l.what)}
            <label class="flex min-h-touch items-center gap-2 border-b border-rule text-small">
              <input type="checkbox" bind:group={done} value={l.group + l.what} />
              <span class={done.includes(l.group + l.what) ? 'line-through' : ''}
                >{l.what}{#if l.why}<span class="quiet">, {l.why}</span>{/if}</span>
            </label>
          {/each}
        </div>
      {/each}
    </div>
    <p class="quiet m-0 text-note">{done.length} of {lines.length} packed. Ticks stay on this screen.</p>
  {/if}
</section>
