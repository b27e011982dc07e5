<!-- What to take from a boundary file: nothing changes in the job until "Use this". -->
<script lang="ts">
  import { Dialog } from 'bits-ui';
  import { show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import {
    areasTaken,
    preset,
    usable,
    withPoint,
    type AreaUse,
    type Boundary,
    type Choice,
    type LineUse,
    type PointUse,
  } from '../state/boundary';
  import BoundaryPreview from './BoundaryPreview.svelte';

  let {
    file,
    found,
    replaces,
    spraying = false,
    onuse,
    oncancel,
  }: {
    file: string;
    found: Boundary | null;
    /** Whether the job has areas already. */
    replaces: boolean;
    /** A spraying job may take shapes as sensitive places. */
    spraying?: boolean;
    onuse: (choice: Choice) => void;
    oncancel: () => void;
  } = $props();
  let choice = $state.raw<Choice | null>(null);
  let row = $state(-1);
  $effect(() => {
    choice = found ? preset(found) : null;
  });
  const holes = $derived(found?.areas.reduce((n, a, k) => n + (choice?.areas[k] === 'area' ? a.holes.length : 0), 0) ?? 0);
  const count = $derived(choice ? areasTaken(choice) : 0);
  const ROW = 'grid min-h-touch grid-cols-[minmax(0,1fr)_auto_170px] items-center gap-3 border-t border-rule py-1';
  const SENSITIVE = $derived(spraying ? { sensitive: 'sensitive place' } : {});
  const AREA: Partial<Record<AreaUse, string>> = $derived({
    area: 'area to work',
    cross: 'keep-out, may be crossed',
    never: 'keep-out, never crossed',
    ...SENSITIVE,
    nothing: 'leave out',
  });
  const LINE: Partial<Record<LineUse, string>> = $derived({
    nothing: 'leave out',
    corridor: 'corridor',
    area: 'area, ends joined',
    ...SENSITIVE,
  });
  const POINT: Partial<Record<PointUse, string>> = $derived({
    nothing: 'leave out',
    home: 'home',
    landing: 'landing place',
    obstacle: 'obstacle',
    'other home': 'other home',
    ...SENSITIVE,
  });
  const ok = $derived(choice ? usable(choice, replaces) : false);
  const set = (part: Partial<Choice>) => (choice = { ...choice!, ...part });
  const at = <T,>(list: T[], k: number, value: T) => list.map((x, i) => (i === k ? value : x));
  const how = (a: Boundary['areas'][number]) => {
    const other = a.inside === null ? null : found?.areas[a.inside];
    const name = (k: number) => found?.areas[k]?.name || `area ${k + 1}`;
    if (other) return `${a.fills_hole ? 'in a hole of' : 'inside'} ${name(a.inside!)}`;
    if (a.overlaps.length) return `overlaps ${a.overlaps.map(name).join(', ')}`;
    return a.touches.length ? `touches ${a.touches.length === 1 ? name(a.touches[0]!) : `${a.touches.length} others`}` : '';
  };
</script>

{#snippet uses(name: string, words: Record<string, string>, value: string, onuse: (use: string) => void, disabled = false)}
  <select class="input" aria-label="Take {name} as" {disabled} {value} onchange={(e) => onuse(e.currentTarget.value)}>
    {#each Object.entries(words) as [use, word] (use)}<option value={use}>{word}</option>{/each}
  </select>
{/snippet}

<Dialog.Root open={found !== null} onOpenChange={(open) => !open && oncancel()}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog max-h-[92dvh] !w-[min(860px,96vw)] overflow-y-auto" aria-describedby={undefined}>
      {#if found && choice}
        <Dialog.Title class="sharp mb-1 text-head">What to take from this file</Dialog.Title>
        <p class="quiet mb-3 [overflow-wrap:anywhere]">{file}</p>
        <form
          class="flex flex-col gap-4"
          onsubmit={(e) => {
            e.preventDefault();
            onuse(choice!);
          }}>
          <div class="grid grid-cols-[minmax(0,1fr)_300px] gap-5 max-tablet:grid-cols-1">
            <div class="flex min-w-0 flex-col gap-4">
              {#if found.areas.length}
                <fieldset class="m-0 border-0 p-0">
                  <legend class="mb-1 flex w-full items-baseline justify-between font-semibold"
                    ><span>Areas</span>{#if found.areas.length > 2}<span class="flex gap-3 text-small font-normal"
                        ><button
                          type="button"
                          class="underline"
                          onclick={() => set({ areas: found.areas.map((a) => (a.problem ? 'nothing' : 'area')) })}
                          >take all</button
                        ><button type="button" class="underline" onclick={() => set({ areas: found.areas.map(() => 'nothing') })}
                          >leave all out</button
                        ></span
                      >{/if}</legend>
                  <div class="max-h-80 overflow-y-auto p-0.5">
                    {#each found.areas as a, k (k)}
                      <label
                        class={ROW}
                        onmouseenter={() => (row = k)}
                        onmouseleave={() => (row = -1)}
                        onfocusin={() => (row = k)}>
                        <span class="min-w-0"
                          ><span class="line-clamp-2 [overflow-wrap:anywhere]" title={a.name}
                            >{a.name || `area ${k + 1}, without a name`}</span>
                          {#if a.problem}<span class="problem block text-small">{a.problem}</span>{:else if how(a)}<span
                              class="quiet block text-small">{how(a)}</span
                            >{/if}{#if a.source}<span class="quiet block text-small">from {a.source}</span>{/if}</span>
                        <span class="quiet whitespace-nowrap text-small"
                          >{a.problem ? '' : show(a.area_ha, 'ha', session.units)}{a.holes.length
                            ? `, ${a.holes.length} hole${a.holes.length > 1 ? 's' : ''}`
                            : ''}</span>
                        {@render uses(
                          a.name || `area ${k + 1}`,
                          AREA,
                          choice.areas[k]!,
                          (use) => set({ areas: at(choice!.areas, k, use as AreaUse) }),
                          !!a.problem,
                        )}
                      </label>
                    {/each}
                  </div>
                </fieldset>
              {/if}
              {#if found.lines.length}
                <fieldset class="m-0 border-0 p-0">
                  <legend class="mb-1 font-semibold">Lines</legend>
                  {#each found.lines as l, k (k)}
                    <div class={ROW}>
                      <span class="min-w-0"
                        ><span class="line-clamp-2 [overflow-wrap:anywhere]">{l.name || `line ${k + 1}, without a name`}</span
                        ><span class="quiet block text-small"
                          >{show(l.length_m, 'm', session.units)} long, {l.closed
                            ? 'closed'
                            : `its ends are ${show(l.gap_m, 'm', session.units)} apart`}</span
                        ></span>
                      {#if choice.lines[k] === 'corridor'}<label class="flex items-center gap-1 text-small"
                          >width, m <input
                            class="input !w-18"
                            inputmode="decimal"
                            value={choice.widths[k]}
                            onchange={(e) => {
                              const v = Number(e.currentTarget.value.replace(',', '.'));
                              if (v > 0) set({ widths: at(choice!.widths, k, v) });
                            }} /></label
                        >{:else}<span></span>{/if}
                      {@render uses(l.name || `line ${k + 1}`, LINE, choice.lines[k]!, (use) =>
                        set({ lines: at(choice!.lines, k, use as LineUse) }),
                      )}
                    </div>
                  {/each}
                </fieldset>
              {/if}
              {#if found.points.length}
                <fieldset class="m-0 border-0 p-0">
                  <legend class="mb-1 font-semibold">Points</legend>
                  <div class="max-h-60 overflow-y-auto p-0.5">
                    {#each found.points as p, k (k)}
                      <label class={ROW}>
                        <span class="min-w-0 [overflow-wrap:anywhere]">{p.name || `point ${k + 1}, without a name`}</span>
                        <span class="quiet whitespace-nowrap text-small">{show(p.away_m, 'm', session.units)} away</span>
                        {@render uses(
                          p.name || `point ${k + 1}`,
                          POINT,
                          choice.points[k]!,
                          (use) => (choice = withPoint(choice!, k, use as PointUse)),
                        )}
                      </label>
                    {/each}
                  </div>
                </fieldset>
              {/if}
            </div>
            <div class="flex flex-col gap-3">
              <BoundaryPreview {found} {choice} at={row} />
              {#if holes}
                <fieldset class="m-0 border-0 p-0 text-small">
                  <legend class="mb-1 font-semibold">{holes} hole{holes > 1 ? 's' : ''}, not worked</legend>
                  <label class="flex min-h-touch items-center gap-2"
                    ><input
                      type="radio"
                      name="holes"
                      checked={choice.holes === 'unworked'}
                      onchange={() => set({ holes: 'unworked' })} />may be crossed</label>
                  <label class="flex min-h-touch items-center gap-2"
                    ><input
                      type="radio"
                      name="holes"
                      checked={choice.holes === 'never'}
                      onchange={() => set({ holes: 'never', margin: choice!.margin || 5 })} />never crossed, margin
                    <input
                      class="input !w-16"
                      aria-label="Margin, m"
                      inputmode="decimal"
                      disabled={choice.holes !== 'never'}
                      value={choice.margin}
                      onchange={(e) => {
                        const v = Number(e.currentTarget.value.replace(',', '.'));
                        if (v >= 0) set({ margin: v });
                      }} /> m</label>
                </fieldset>
              {/if}
              {#if replaces}
                <fieldset class="m-0 border-0 p-0 text-small">
                  <legend class="mb-1 font-semibold">The job has areas already</legend>
                  <label class="flex min-h-touch items-center gap-2"
                    ><input type="radio" name="add" checked={!choice.add} onchange={() => set({ add: false })} />replace them</label>
                  <label class="flex min-h-touch items-center gap-2"
                    ><input type="radio" name="add" checked={choice.add} onchange={() => set({ add: true })} />add to them</label>
                </fieldset>
              {/if}
            </div>
          </div>
          <section aria-label="What was found and done" class="border-t border-rule pt-2">
            <ul class="quiet m-0 max-h-40 list-disc overflow-y-auto pl-5 text-small [overflow-wrap:anywhere]">
              {#each found.notes as note, nth (nth)}<li>{note.words}</li>{/each}
            </ul>
          </section>
          <div class="flex items-center justify-end gap-3">
            {#if !ok}<span class="quiet text-small"
                >Take at least one area or corridor{spraying && replaces ? ', or add sensitive places to the job' : ''}.</span
              >{/if}
            <Dialog.Close class="button" type="button">Cancel</Dialog.Close><button class="button dark" disabled={!ok}
              >Use this{count > 1 ? `: ${count} areas` : ''}</button>
          </div>
        </form>
      {/if}
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
