<!-- What could not be asked for, in one line, with the one thing to do. -->
<script lang="ts">
  import type { Problem } from '$shared/api/client';

  interface Asked {
    problem: Problem | null;
    load: () => unknown;
  }
  let { of, class: extra = 'mb-3' }: { of: Asked | Asked[]; class?: string } = $props();
  const failed = $derived((Array.isArray(of) ? of : [of]).filter((x) => x.problem !== null));
</script>

{#if failed.length}<p class="problem {extra}" role="alert">
    {failed[0]!.problem!.detail}
    <button class="button" onclick={() => failed.forEach((x) => x.load())}>Try again</button>
  </p>{/if}
