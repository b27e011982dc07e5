<script lang="ts">
  import { page } from '$app/state';
  import BenchScreen from '$features/bench/BenchScreen.svelte';
</script>

<svelte:head><title>Calculators · Gentle Quarry</title></svelte:head>
<BenchScreen name={page.params.name ?? ''} />
