<script lang="ts">
  import ChargingScreen from '$features/packs/ChargingScreen.svelte';
</script>

<svelte:head><title>Charging · Gentle Quarry</title></svelte:head>
<ChargingScreen />
