<script lang="ts">
  import RestVolts from '$features/packs/RestVolts.svelte';
</script>

<svelte:head><title>Rest volts · Gentle Quarry</title></svelte:head>
<RestVolts />
