<script lang="ts">
  import LimitsScreen from '$features/limits/LimitsScreen.svelte';
</script>

<svelte:head><title>Limits · Gentle Quarry</title></svelte:head>
<LimitsScreen />
