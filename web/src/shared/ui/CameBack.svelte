<!-- Says that a form holds what was typed earlier and never sent, and lets it begin anew. -->
<script lang="ts">
  import type { FormDraft } from '../device/form-draft.svelte';

  let { draft }: { draft: FormDraft } = $props();
</script>

{#if draft.back}<p class="m-0 flex flex-wrap items-center gap-3 rounded bg-paper-deep px-3 py-2 text-small" role="status">
    What you typed here earlier was not saved: it stands here again.
    <button type="button" class="button small" onclick={() => draft.anew()}>Begin anew</button>
  </p>{/if}
