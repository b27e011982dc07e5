<script lang="ts">
  import { page } from '$app/state';
  import PreflightScreen from '$features/preflight/PreflightScreen.svelte';
</script>

<svelte:head><title>Preflight · Gentle Quarry</title></svelte:head>
<PreflightScreen id={page.params.id ?? ''} />
