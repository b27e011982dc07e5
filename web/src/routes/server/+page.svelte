<script lang="ts">
  import ServerScreen from '$features/company/ServerScreen.svelte';
</script>

<svelte:head><title>Server · Gentle Quarry</title></svelte:head>
<ServerScreen />
