<!-- A photo taken or chosen, shown small, and given up again. -->
<script lang="ts">
  interface Props {
    /** Address of the photo that was kept; empty where there is none. */
    src: string;
    busy?: boolean;
    problem?: string;
    onfile: (file: File) => void;
    onremove: () => void;
  }
  let { src, busy = false, problem = '', onfile, onremove }: Props = $props();
  const chosen = (input: HTMLInputElement) => {
    const file = input.files?.[0];
    input.value = '';
    if (file) onfile(file);
  };
</script>

<div class="flex flex-wrap items-center gap-3">
  <label class="button !min-h-tap cursor-pointer"
    >{src ? 'Another photo' : 'Take or choose a photo'}<input
      type="file"
      accept="image/jpeg,image/png,image/webp"
      capture="environment"
      class="sr-only"
      disabled={busy}
      onchange={(e) => chosen(e.currentTarget)} /></label>
  {#if src}
    <img class="h-24 rounded border border-rule" alt="Taken for this record" {src} />
    <button class="button" type="button" onclick={onremove}>Remove photo</button>
  {/if}
  {#if problem}<span class="problem text-small" role="alert">{problem}</span>{/if}
</div>
