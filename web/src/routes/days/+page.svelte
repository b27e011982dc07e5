<script lang="ts">
  import DaysList from '$features/day/DaysList.svelte';
</script>

<svelte:head><title>Days · Gentle Quarry</title></svelte:head>
<DaysList />
