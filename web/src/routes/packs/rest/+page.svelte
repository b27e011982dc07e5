<script lang="ts">
  import RestVolts from '$features/packs/RestVolts.svelte';
</script>

<svelte:head><title>Resting voltage · Gentle Quarry</title></svelte:head>
<RestVolts />
