<script lang="ts">
  import { page } from '$app/state';
  import RehearseScreen from '$features/rehearse/RehearseScreen.svelte';
</script>

{#key page.params.id}<RehearseScreen id={page.params.id!} />{/key}
