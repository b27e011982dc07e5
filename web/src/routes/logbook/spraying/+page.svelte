<script lang="ts">
  import RecordsScreen from '$features/spraying/RecordsScreen.svelte';
</script>

<RecordsScreen />
