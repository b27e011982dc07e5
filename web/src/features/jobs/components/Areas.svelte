<!-- The areas of a job: which are taken, in what order, each with a direction of its own if it needs one. -->
<script lang="ts">
  import { fromShown, show, toShown, unitOf } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import type { Job, JobDraft } from '../state/draft.svelte';

  let { draft, writable }: { draft: JobDraft; writable: boolean } = $props();
  type Area = Job['areas'][number];
  const job = $derived(draft.job!);
  const areas = $derived(job.areas);
  const change = (k: number, part: Partial<Area>) =>
    draft.change({ areas: areas.map((a, i) => (i === k ? { ...a, ...part } : a)) });

  function swap(k: number, by: -1 | 1) {
    const next = [...areas];
    [next[k], next[k + by]] = [next[k + by]!, next[k]!];
    draft.change({ areas: next });
    draft.area = k + by;
  }
  function remove(k: number) {
    const name = areas[k]!.name || `Area ${k + 1}`;
    draft.change({ areas: areas.filter((_, i) => i !== k) });
    draft.area = 0;
    notices.say(`${name} deleted`, { undo: () => draft.undo() });
  }
  function number(text: string, most: number): number | null | undefined {
    if (text.trim() === '') return null;
    const v = Number(text.replace(',', '.'));
    return Number.isFinite(v) && v >= 0 && v <= most ? v : undefined;
  }
</script>

{#if areas.length}
  <fieldset class="m-0 mb-2 border-0 p-0" data-testid="areas">
    <legend class="mb-1 font-semibold">Areas</legend>
    {#each areas as a, k (k)}
      <div class="border-t border-rule py-1.5 {draft.area === k ? 'bg-paper' : ''}">
        <div class="flex items-center gap-2">
          <input
            type="checkbox"
            class="size-5 shrink-0"
            aria-label="Fly {a.name || `area ${k + 1}`}"
            checked={!a.left_out}
            disabled={!writable}
            onchange={(e) => change(k, { left_out: !e.currentTarget.checked })} />
          <input
            class="input min-w-0 flex-1 !px-1.5 text-small"
            aria-label="Name of area {k + 1}"
            placeholder="area {k + 1}"
            value={a.name}
            disabled={!writable}
            onfocus={() => (draft.area = k)}
            onchange={(e) => change(k, { name: e.currentTarget.value.trim().slice(0, 300) })} />
          <span class="quiet whitespace-nowrap text-small"
            >{draft.areasHa[k] !== undefined ? show(draft.areasHa[k]!, 'ha', session.units) : ''}</span>
        </div>
        <div class="mt-1 flex items-center gap-2 pl-7 text-small">
          {#if a.corridor_m !== null}<label class="flex items-center gap-1"
              >width <input
                class="input !w-16 !px-1.5"
                inputmode="decimal"
                aria-label="Width of {a.name || `area ${k + 1}`}, m"
                value={a.corridor_m}
                disabled={!writable}
                onchange={(e) => {
                  const v = number(e.currentTarget.value, 5000);
                  if (v) change(k, { corridor_m: v });
                }} /> m</label
            >{/if}
          <label class="flex items-center gap-1"
            >lines at <input
              class="input !w-14 !px-1.5"
              inputmode="decimal"
              aria-label="Direction of lines in {a.name || `area ${k + 1}`}, degrees"
              placeholder={a.corridor_m === null ? 'best' : 'bend'}
              value={a.bearing_deg ?? ''}
              disabled={!writable}
              onchange={(e) => {
                const v = number(e.currentTarget.value, 359.99);
                if (v !== undefined) change(k, { bearing_deg: v });
              }} />°</label>
          {#if job.kind === 'spraying'}<label class="flex items-center gap-1"
              ><input
                class="input !w-16 !px-1.5"
                inputmode="decimal"
                aria-label="Rate in {a.name || `area ${k + 1}`}, {unitOf('l_ha', session.units)}"
                placeholder={toShown('rate_l_ha' in job.work ? Number(job.work.rate_l_ha) : 0, 'l_ha', session.units).toFixed(1)}
                value={a.rate_l_ha == null ? '' : +toShown(a.rate_l_ha, 'l_ha', session.units).toFixed(2)}
                disabled={!writable}
                onchange={(e) => {
                  const v = number(e.currentTarget.value, Infinity);
                  if (v !== undefined && v !== 0)
                    change(k, { rate_l_ha: v === null ? null : fromShown(v, 'l_ha', session.units) });
                }} />
              {unitOf('l_ha', session.units)}</label
            >{/if}
          <span class="flex-1"></span>
          {#if areas.length > 1}
            <button
              class="button plain !px-1.5"
              aria-label="Move {a.name || `area ${k + 1}`} up"
              disabled={!writable || k === 0}
              onclick={() => swap(k, -1)}>↑</button>
            <button
              class="button plain !px-1.5"
              aria-label="Move {a.name || `area ${k + 1}`} down"
              disabled={!writable || k === areas.length - 1}
              onclick={() => swap(k, 1)}>↓</button>
          {/if}
          <button
            class="button plain !px-1.5"
            aria-label="Delete {a.name || `area ${k + 1}`}"
            disabled={!writable}
            onclick={() => remove(k)}>×</button>
        </div>
        {#if draft.problemAt(`areas.${k}`)}<p class="problem m-0 pl-7 text-small" role="alert">
            {draft.problemAt(`areas.${k}`)}
          </p>{/if}
      </div>
    {/each}
    {#if areas.length > 1}
      <label class="flex min-h-touch items-center gap-2 border-t border-rule text-small"
        ><input
          type="checkbox"
          class="size-5"
          checked={job.lines.in_order}
          disabled={!writable}
          onchange={(e) => draft.change({ lines: { ...job.lines, in_order: e.currentTarget.checked } })} />fly them one after the
        other, in this order</label>
    {/if}
  </fieldset>
{/if}
