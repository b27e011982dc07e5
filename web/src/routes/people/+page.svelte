<script lang="ts">
  import PeopleScreen from '$features/people/PeopleScreen.svelte';
</script>

<svelte:head><title>People · Gentle Quarry</title></svelte:head>
<PeopleScreen />
