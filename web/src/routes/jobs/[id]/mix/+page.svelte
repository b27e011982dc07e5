<script lang="ts">
  import { page } from '$app/state';
  import MixScreen from '$features/spraying/MixScreen.svelte';
</script>

{#key page.params.id}<MixScreen id={page.params.id!} />{/key}
