<!-- Two people saved the same job: both versions side by side, and a question. -->
<script lang="ts">
  import { Dialog } from 'bits-ui';
  import { differences } from '$shared/format/differences';
  import { session } from '$shared/session.svelte';
  import type { JobDraft } from '../state/draft.svelte';
  import { figuresOf } from '../state/draft.svelte';

  let { draft }: { draft: JobDraft } = $props();
  /** Parts as the panel calls them; an empty name stands for what needs none. */
  const WORDS: Record<string, string> = {
    areas: 'area',
    keep_outs: 'keep-out',
    ring: '',
    work: '',
    lines: '',
    sorties: '',
    site: '',
    bearing_deg: 'line direction',
    corridor_m: 'corridor width',
    aircraft_model_id: 'aircraft model',
    aircraft_id: 'aircraft',
    camera_id: 'camera',
    landing_frac: 'charge at landing',
    floor_frac: 'minimum charge',
    fallbacks: 'fallback',
    obstacles: 'obstacle',
    homes: 'other home',
  };
  /** A key says nothing to a reader: of what is chosen by one, only that it differs is shown. */
  const KEYS = ['aircraft_model_id', 'aircraft_id', 'camera_id'];
  const rows = $derived.by(() => {
    if (!draft.theirs || !draft.job) return [];
    const [mine, theirs] = [figuresOf(draft.job), figuresOf(draft.theirs)] as Record<string, unknown>[];
    const chosen = (f: Record<string, unknown>, other: Record<string, unknown>) =>
      Object.fromEntries(
        Object.entries(f).map(([k, v]) => [k, KEYS.includes(k) ? (v === other[k] ? v : v ? 'another one' : null) : v]),
      );
    const [a, b] = [chosen(mine!, theirs!), chosen(theirs!, mine!)];
    for (const k of KEYS) if (a[k] === 'another one') a[k] = 'the one here';
    return differences(a, b, WORDS, session.units);
  });
</script>

<Dialog.Root open={!!draft.theirs}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog wide" escapeKeydownBehavior="ignore" interactOutsideBehavior="ignore">
      <Dialog.Title class="sharp text-head">Somebody else has saved this job</Dialog.Title>
      <Dialog.Description class="mb-3"
        >Choose which version shall stand. Nothing is lost: what you do not choose can be had back with undo, and the history
        keeps both.</Dialog.Description>
      <table class="sheet-table">
        <thead><tr><th></th><th>here, yours</th><th>saved by somebody else</th></tr></thead>
        <tbody
          >{#each rows as r, k (k)}<tr><td class="font-semibold">{r.what}</td><td>{r.mine}</td><td>{r.theirs}</td></tr
            >{/each}</tbody>
      </table>
      <div class="mt-4 flex justify-end gap-3">
        <button class="button" onclick={() => draft.settle('theirs')}>Take theirs</button>
        <button class="button dark" onclick={() => draft.settle('mine')}>Keep mine</button>
      </div>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
