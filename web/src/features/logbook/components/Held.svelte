<!-- Why a log is held: what it says against itself, the rows where that shows, and what would mend it. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';
  import { digits } from '$shared/format/units';

  interface Props {
    file: Schemas['LogFileOut'];
    may: boolean;
    busy: boolean;
    leaveOut: (header: string) => void;
    accept: (split: boolean) => void;
  }
  let { file, may, busy, leaveOut, accept }: Props = $props();
  // What is used, and what may be wrong: the other columns tell nothing here.
  const shown = $derived(file.look.columns.map((c, k) => ({ ...c, k })).filter((c) => c.quantity));
  const splits = $derived(file.holds.some((h) => h.splits));
</script>

<div class="mb-3 border-y-2 border-copper bg-wash-copper px-4 py-3" role="status" data-testid="held">
  <h2 class="mb-1">Held: nothing of this log is in the logbook yet</h2>
  {#each file.holds as h (h.words)}
    <div class="mb-3">
      <p class="m-0 max-w-257">It contradicts itself: {h.words}.</p>
      {#if h.rows.length}
        <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
        <div
          class="my-2 max-w-full overflow-x-auto bg-sheet"
          tabindex="0"
          role="region"
          aria-label="Rows around line {h.line} of the log">
          <table class="border-collapse text-small">
            <thead
              ><tr
                ><th class="border-b border-rule px-2 py-1 text-left font-normal">line</th>
                {#each shown as c (c.k)}<th
                    class="border-b border-rule px-2 py-1 text-left {h.leave_out.includes(c.header)
                      ? 'font-semibold'
                      : 'font-normal'}">{c.header}</th
                  >{/each}</tr
              ></thead>
            <tbody>
              {#each h.rows as row (row.number)}
                <tr class={row.number === h.line ? 'bg-wash-copper font-semibold' : ''}>
                  <td class="whitespace-nowrap px-2 py-0.5">{row.number === h.line ? '▸ ' : ''}{digits(row.number)}</td>
                  {#each shown as c (c.k)}<td class="max-w-63 truncate px-2 py-0.5">{row.cells[c.k] ?? ''}</td>{/each}
                </tr>
              {/each}
            </tbody>
          </table>
        </div>
      {/if}
      {#if h.leave_out.length}
        <div class="flex flex-wrap gap-2">
          {#each h.leave_out as header (header)}
            <button class="button" disabled={!may || busy} onclick={() => leaveOut(header)}>Read it without “{header}”</button>
          {/each}
        </div>
      {/if}
    </div>
  {:else}
    <p class="max-w-257">It contradicts itself: {file.doubts.join('; ')}.</p>
  {/each}
  <div class="flex flex-wrap items-center gap-3">
    {#if splits}<button class="button dark" disabled={!may || busy} onclick={() => accept(true)}
        >Read in parts, split where its clock does not go on</button
      >{/if}
    <button class="button" disabled={!may || busy} onclick={() => accept(false)}>Read it all the same</button>
    <span class="quiet text-small">or correct its columns below. What you choose is recorded with your name.</span>
  </div>
</div>
