<script lang="ts">
  import { page } from '$app/state';
  import LoadTest from '$features/packs/LoadTest.svelte';
</script>

<svelte:head><title>Load test · Gentle Quarry</title></svelte:head>
{#key page.params.id}<LoadTest id={page.params.id ?? ''} />{/key}
