<script lang="ts">
  import BenchScreen from '$features/bench/BenchScreen.svelte';
</script>

<svelte:head><title>Calculators · Gentle Quarry</title></svelte:head>
<BenchScreen name="" />
