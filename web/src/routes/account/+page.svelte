<script lang="ts">
  import AccountScreen from '$features/account/AccountScreen.svelte';
</script>

<svelte:head><title>Your sign-in · Gentle Quarry</title></svelte:head>
<AccountScreen />
