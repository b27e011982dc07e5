<script lang="ts">
  import CompanyScreen from '$features/company/CompanyScreen.svelte';
</script>

<svelte:head><title>Company · Gentle Quarry</title></svelte:head>
<CompanyScreen />
