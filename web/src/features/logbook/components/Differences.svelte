<!-- What differs between groups: the middle of each, and how far it lies from the first, as it is and with other conditions taken out. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';
  import { digits, percent } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { COMPARED, signed } from '../words/book';
  import { conditionWords, letterOf } from '../words/groups';

  let { compared, names }: { compared: Schemas['CompareOut']; names: string[] } = $props();
  const few = $derived(names.length === 2);
  const later = $derived(names.slice(1));
</script>

{#snippet line(d: Schemas['DifferenceOut'], text: (v: number) => string)}
  {#if d.noise}<span class="quiet"
      >{signed(text(d.difference))}{#if few}, not significant{:else}<span aria-hidden="true">&nbsp;~</span><span
          class="visually-hidden">, not significant</span
        >{/if}</span>
  {:else}<b>{signed(text(d.difference))}</b>{/if}
  <div class="quiet text-note">{signed(text(d.low))} … {signed(text(d.high))}</div>
{/snippet}

<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div class="overflow-x-auto" tabindex="0" role="region" aria-label="What differs">
  <table class="sheet-table bg-sheet" data-testid="differences">
    <thead>
      <tr>
        <th></th><th class="!text-right">A: {names[0]}</th>
        {#each later as name, k (k)}<th class="!text-right">{letterOf(k + 1)}: {name}</th><th class="!text-right"
            >{letterOf(k + 1)} less A</th
          >{/each}
      </tr>
    </thead>
    <tbody>
      {#each compared.table as row (row.figure)}
        {@const c = COMPARED[row.figure]}
        {#if c}
          {@const text = (v: number) => c.text(v, session.units)}
          <tr class="align-top">
            <td class="min-w-49">{c.label.replace('the reserve', `the reserve of ${percent(compared.reserve_frac)}`)}</td>
            {#each row.middles as middle, k (k)}
              <td class="text-right">
                {middle === null ? '—' : text(middle)}
                {#if middle !== null}<div class="quiet text-note">of {digits(row.counts[k]!)}</div>{/if}
              </td>
              {#if k > 0}
                <td class="{few ? 'min-w-40' : 'min-w-29'} text-right">
                  {#if row.against[k - 1]}{@render line(row.against[k - 1]!, text)}{:else}—{/if}
                  {#if row.adjusted[k - 1]}
                    {@const a = row.adjusted[k - 1]!}
                    <div class="mt-1 border-t border-rule pt-1" data-testid="adjusted">
                      <span class="quiet text-note" title="without {conditionWords(a.without)}"
                        >adjusted{few ? ` for ${conditionWords(a.without)}` : ''}</span>
                      {@render line(a, text)}
                    </div>
                  {/if}
                </td>
              {/if}
            {/each}
          </tr>
        {/if}
      {/each}
    </tbody>
  </table>
</div>
<p class="quiet mt-1 max-w-251 text-note">
  The middle flight of each group counts, and below it of how many flights. Below each difference: between what it lies nine times
  in ten. These bounds come from drawing the flights again and again, and are never narrower than what flights of one kind differ
  by anyway, so that three flights that happen to agree prove nothing.
  {few ? '' : '~: the difference is not significant.'} Adjusted: without other conditions that differ, by a linear regression over all
  flights shown.
</p>
