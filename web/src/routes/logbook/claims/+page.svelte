<script lang="ts">
  import ClaimsScreen from '$features/logbook/ClaimsScreen.svelte';
</script>

<svelte:head><title>Rated and measured · Gentle Quarry</title></svelte:head>
<ClaimsScreen />
