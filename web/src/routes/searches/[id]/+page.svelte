<script lang="ts">
  import { page } from '$app/state';
  import SearchScreen from '$features/searches/SearchScreen.svelte';
</script>

{#key page.params.id}<SearchScreen id={page.params.id!} />{/key}
