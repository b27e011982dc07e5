<script lang="ts">
  import FleetScreen from '$features/fleet/FleetScreen.svelte';
</script>

<svelte:head><title>Fleet · Gentle Quarry</title></svelte:head>
<FleetScreen />
