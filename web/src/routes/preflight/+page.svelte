<script lang="ts">
  import PreflightList from '$features/preflight/PreflightList.svelte';
</script>

<svelte:head><title>Preflight · Gentle Quarry</title></svelte:head>
<PreflightList />
