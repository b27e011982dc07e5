<script lang="ts">
  import { page } from '$app/state';
  import PackScreen from '$features/packs/PackScreen.svelte';
</script>

<svelte:head><title>Pack · Gentle Quarry</title></svelte:head>
{#key page.params.id}<PackScreen id={page.params.id ?? ''} />{/key}
