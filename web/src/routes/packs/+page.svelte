<script lang="ts">
  import ShelfScreen from '$features/packs/ShelfScreen.svelte';
</script>

<svelte:head><title>Packs · Gentle Quarry</title></svelte:head>
<ShelfScreen />
