<!-- Two people saved the same job: both versions side by side, and a question. -->
<script lang="ts">
  import { Dialog } from 'bits-ui';
  import type { JobDraft } from '../state/draft.svelte';
  import { figuresOf } from '../state/draft.svelte';

  let { draft }: { draft: JobDraft } = $props();
  const WORDS: Record<string, string> = {
    areas: 'areas',
    keep_outs: 'keep-outs',
    work: 'figures of the work',
    sorties: 'breaks and reserve',
    lines: 'lines',
    wind: 'wind',
    home: 'home',
  };
  const rows = $derived.by(() => {
    if (!draft.theirs || !draft.job) return [];
    const mine = figuresOf(draft.job) as Record<string, unknown>;
    const theirs = figuresOf(draft.theirs) as Record<string, unknown>;
    return Object.keys(mine)
      .filter((k) => JSON.stringify(mine[k]) !== JSON.stringify(theirs[k]))
      .map((k) => ({
        what: WORDS[k] ?? k.replaceAll('_', ' '),
        mine: text(mine[k], theirs[k]),
        theirs: text(theirs[k], mine[k]),
      }));
  });

  function text(v: unknown, other: unknown): string {
    if (Array.isArray(v) && v.length > 2) return `${v.length} corners or pieces`;
    if (v && typeof v === 'object') {
      const o = (other ?? {}) as Record<string, unknown>;
      return Object.entries(v)
        .filter(([k, x]) => JSON.stringify(x) !== JSON.stringify(o[k]))
        .map(([k, x]) => `${k.replaceAll('_', ' ')} ${x}`)
        .join(', ');
    }
    return String(v ?? 'none');
  }
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
          >{#each rows as r (r.what)}<tr><td class="font-semibold">{r.what}</td><td>{r.mine}</td><td>{r.theirs}</td></tr
            >{/each}</tbody>
      </table>
      <div class="mt-4 flex justify-end gap-3">
        <button class="button" onclick={() => draft.settle('theirs')}>Take theirs</button>
        <button class="button dark" onclick={() => draft.settle('mine')}>Keep mine</button>
      </div>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
