<script lang="ts">
  import ColumnsScreen from '$features/logbook/ColumnsScreen.svelte';
  import { page } from '$app/state';
</script>

<svelte:head><title>Columns of a log · Gentle Quarry</title></svelte:head>
{#key page.params.id}<ColumnsScreen id={page.params.id ?? ''} />{/key}
