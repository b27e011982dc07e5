<!-- Says that a form holds what was typed earlier and never sent, and lets it begin anew. -->
<script lang="ts">
  import type { FormDraft } from '../device/form-draft.svelte';

  /** `says`, `offers`: in a dialog the offer stands below, for what stands first takes the keyboard. */
  let { draft, says = true, offers = true }: { draft: FormDraft; says?: boolean; offers?: boolean } = $props();
</script>

{#if draft.back}
  {#if says}<p class="m-0 flex flex-wrap items-center gap-3 rounded bg-paper-deep px-3 py-2 text-small" role="status">
      What you typed here earlier was not saved: it stands here again.
      {#if offers}{@render anew('small')}{/if}
    </p>{:else}{@render anew('mr-auto')}{/if}
{/if}
{#snippet anew(more: string)}<button type="button" class="button {more}" onclick={() => draft.anew()}>Begin anew</button
  >{/snippet}
