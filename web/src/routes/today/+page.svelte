<script lang="ts">
  import TodayScreen from '$features/today/TodayScreen.svelte';
</script>

<svelte:head><title>Today · Gentle Quarry</title></svelte:head>
<TodayScreen />
