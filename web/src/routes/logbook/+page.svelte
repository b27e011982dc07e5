<script lang="ts">
  import LogbookScreen from '$features/logbook/LogbookScreen.svelte';
</script>

<svelte:head><title>Logbook · Gentle Quarry</title></svelte:head>
<LogbookScreen />
