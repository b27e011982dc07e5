<script lang="ts">
  import StoreScreen from '$features/spraying/StoreScreen.svelte';
</script>

<StoreScreen />
