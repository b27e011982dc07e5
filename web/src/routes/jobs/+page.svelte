<script lang="ts">
  import JobsList from '$features/jobs/JobsList.svelte';
</script>

<svelte:head><title>Jobs · Gentle Quarry</title></svelte:head>
<JobsList />
