<script lang="ts">
  import TotalsScreen from '$features/logbook/TotalsScreen.svelte';
</script>

<svelte:head><title>Totals · Gentle Quarry</title></svelte:head>
<TotalsScreen />
