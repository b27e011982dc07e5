<script lang="ts">
  import FlightScreen from '$features/logbook/FlightScreen.svelte';
  import { page } from '$app/state';
</script>

<svelte:head><title>A flight · Gentle Quarry</title></svelte:head>
{#key page.params.id}<FlightScreen id={page.params.id ?? ''} />{/key}
