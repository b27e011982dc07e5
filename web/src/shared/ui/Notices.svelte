<script lang="ts">
  import { notices } from './notices.svelte';
</script>

<div class="no-print fixed bottom-4 left-1/2 z-70 flex -translate-x-1/2 flex-col gap-2" role="status" aria-live="polite">
  {#each notices.list as n (n.id)}
    <div
      class="flex items-center gap-4 rounded border-line border-ink px-4 py-2 shadow-lg {n.bad ? 'bg-wash-madder' : 'bg-sheet'}">
      <span>{n.text}</span>
      {#if n.undo}<button
          class="button"
          onclick={() => {
            n.undo?.();
            notices.drop(n.id);
          }}>Undo</button
        >{/if}
      <button class="button plain" onclick={() => notices.drop(n.id)} aria-label="Close">×</button>
    </div>
  {/each}
</div>
