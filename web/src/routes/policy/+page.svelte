<script lang="ts">
  import PolicyScreen from '$features/policy/PolicyScreen.svelte';
</script>

<svelte:head><title>Policy · Gentle Quarry</title></svelte:head>
<PolicyScreen />
