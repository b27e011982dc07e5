<!-- What lies below the first window: built once what stands above it has been painted, so that it can be read sooner. -->
<script lang="ts">
  import type { Snippet } from 'svelte';

  let { children }: { children: Snippet } = $props();
  let painted = $state(false);
  $effect(() => {
    let timer = 0;
    const frame = requestAnimationFrame(() => (timer = window.setTimeout(() => (painted = true))));
    return () => {
      cancelAnimationFrame(frame);
      clearTimeout(timer);
    };
  });
</script>

{#if painted}{@render children()}{/if}
