<!-- Asks before what is known of the person is deleted for good. -->
<script lang="ts">
  import { Dialog } from 'bits-ui';

  let { name, onforget }: { name: string; onforget: () => Promise<void> } = $props();
  let asking = $state(false);
</script>

<button class="button" onclick={() => (asking = true)}>Delete what is known of the person …</button>
<Dialog.Root bind:open={asking}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-3 text-head">Delete what is known of the person in {name}?</Dialog.Title>
      <p class="mb-4">
        The description, the kind of person and all photos are deleted for good. Ground, reports and finds stay. This cannot be
        undone.
      </p>
      <div class="flex justify-end gap-3">
        <Dialog.Close class="button">Cancel</Dialog.Close>
        <button class="button dark" onclick={() => void onforget().then(() => (asking = false))}>Delete</button>
      </div>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
