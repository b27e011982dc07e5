<script lang="ts">
  import CompareScreen from '$features/logbook/CompareScreen.svelte';
</script>

<svelte:head><title>Compare flights · Gentle Quarry</title></svelte:head>
<CompareScreen />
