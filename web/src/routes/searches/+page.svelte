<script lang="ts">
  import SearchesScreen from '$features/searches/SearchesScreen.svelte';
</script>

<SearchesScreen />
