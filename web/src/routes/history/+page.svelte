<script lang="ts">
  import HistoryScreen from '$features/history/HistoryScreen.svelte';
</script>

<svelte:head><title>History · Gentle Quarry</title></svelte:head>
<HistoryScreen />
