<!-- Says that a form holds what was typed earlier and never sent; what is given with it stands beside it. -->
<script lang="ts">
  import type { Snippet } from 'svelte';
  import type { FormDraft } from '../device/form-draft.svelte';

  let { draft, children }: { draft: FormDraft; children?: Snippet } = $props();
</script>

{#if draft.back}<p class="m-0 flex flex-wrap items-center gap-3 rounded bg-paper-deep px-3 py-2 text-small" role="status">
    What you typed here earlier was not saved: it stands here again.
    {@render children?.()}
  </p>{/if}
