<script lang="ts">
  import { page } from '$app/state';
  import LiveScreen from '$features/live/LiveScreen.svelte';
</script>

{#key page.params.id}<LiveScreen id={page.params.id!} />{/key}
