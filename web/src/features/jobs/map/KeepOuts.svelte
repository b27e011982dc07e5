<!-- The keep-outs of a job by name: which are never crossed, and how far to stay off. -->
<script lang="ts">
  import { notices } from '$shared/ui/notices.svelte';
  import type { Job, JobDraft } from '../state/draft.svelte';

  let { draft }: { draft: JobDraft } = $props();
  const MOST_SHOWN = 40;
  const job = $derived(draft.job!);
  type KeepOut = Job['keep_outs'][number];

  const all = (change: Partial<KeepOut>) => draft.change({ keep_outs: job.keep_outs.map((k) => ({ ...k, ...change })) });
  const one = (n: number, change: Partial<KeepOut>) =>
    draft.change({ keep_outs: job.keep_outs.map((k, i) => (i === n ? { ...k, ...change } : k)) });
  function remove(n: number) {
    draft.change({ keep_outs: job.keep_outs.filter((_, i) => i !== n) });
    notices.say('Keep-out deleted', { undo: () => draft.undo() });
  }
</script>

<details class="no-print absolute right-4 top-38 max-h-[60%] max-w-66 overflow-y-auto rounded bg-sheet/95 px-3 py-2 text-small">
  <summary class="cursor-pointer font-semibold">{job.keep_outs.length} keep-out{job.keep_outs.length > 1 ? 's' : ''}</summary>
  {#if job.keep_outs.length > 1}<div class="mt-2 flex gap-3 text-small">
      <button class="underline" onclick={() => all({ crossing: 'never' })}>none crossed</button>
      <button class="underline" onclick={() => all({ crossing: 'unworked' })}>all may be crossed</button>
    </div>{/if}
  {#each job.keep_outs.slice(0, MOST_SHOWN) as k, n (n)}
    <div class="mt-2 flex flex-col gap-1.5 border-t border-rule pt-2">
      <input
        class="input"
        aria-label="Name of keep-out {n + 1}"
        placeholder="name"
        value={k.name}
        onchange={(e) => one(n, { name: e.currentTarget.value })} />
      <label class="flex items-center gap-2"
        ><input
          type="checkbox"
          class="size-4"
          checked={k.crossing === 'never'}
          onchange={(e) => one(n, { crossing: e.currentTarget.checked ? 'never' : 'unworked' })} />never crossed</label>
      <label class="flex items-center gap-2"
        >margin, m <input
          class="input !w-18"
          inputmode="decimal"
          aria-label="Margin of keep-out {n + 1}, m"
          value={k.margin_m}
          onchange={(e) => {
            const v = Number(e.currentTarget.value.replace(',', '.'));
            if (v >= 0 && v <= 500) one(n, { margin_m: v });
          }} /></label>
      <button class="button" onclick={() => remove(n)}>Delete</button>
      {#if draft.problemAt(`keep_outs.${n}`)}<p class="problem">{draft.problemAt(`keep_outs.${n}`)}</p>{/if}
    </div>
  {/each}
  {#if job.keep_outs.length > MOST_SHOWN}<p class="quiet mb-0 mt-2">The first {MOST_SHOWN} of {job.keep_outs.length}.</p>{/if}
</details>
