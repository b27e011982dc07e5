<script lang="ts">
  import FleetScreen from '$features/fleet/FleetScreen.svelte';
</script>

<svelte:head><title>Packs · Gentle Quarry</title></svelte:head>
<FleetScreen />
