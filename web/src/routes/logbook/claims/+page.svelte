<script lang="ts">
  import ClaimsScreen from '$features/logbook/ClaimsScreen.svelte';
</script>

<svelte:head><title>Claimed and real · Gentle Quarry</title></svelte:head>
<ClaimsScreen />
