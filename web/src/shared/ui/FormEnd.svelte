<!-- The foot of a form in a dialog: begin anew where something came back, cancel, and the button that sends it. -->
<script lang="ts">
  import type { Snippet } from 'svelte';
  import type { FormDraft } from '../device/form-draft.svelte';

  let { draft, leave, busy, children }: { draft: FormDraft; leave: () => void; busy: boolean; children: Snippet } = $props();
  function cancel() {
    draft.forget();
    leave();
  }
</script>

<div class="mt-2 flex justify-end gap-3">
  {#if draft.back}<button type="button" class="button mr-auto" onclick={() => draft.anew()}>Begin anew</button>{/if}
  <button type="button" class="button" onclick={cancel}>Cancel</button>
  <button class="button dark" disabled={busy}>{@render children()}</button>
</div>
