<script lang="ts">
  import TokensScreen from '$features/tokens/TokensScreen.svelte';
</script>

<svelte:head><title>Tokens for programs · Gentle Quarry</title></svelte:head>
<TokensScreen />
