<!-- A page before signing in: one thing to do, and the way back. -->
<script lang="ts">
  import type { Snippet } from 'svelte';
  import Mark from './Mark.svelte';

  let { title, children }: { title: string; children: Snippet } = $props();
</script>

<svelte:head><title>{title} · Gentle Quarry</title></svelte:head>
<main id="main" class="mx-auto flex max-w-105 flex-col gap-4 px-6 py-16">
  <div class="mb-2 flex items-center gap-3">
    <Mark size={32} />
    <h1>{title}</h1>
  </div>
  {@render children()}
  <a class="self-start" href="/sign-in">Back to signing in</a>
</main>
