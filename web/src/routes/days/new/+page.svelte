<script lang="ts">
  import NewDay from '$features/day/NewDay.svelte';
</script>

<svelte:head><title>Make a day · Gentle Quarry</title></svelte:head>
<NewDay />
