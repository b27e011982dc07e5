<script lang="ts">
  import { page } from '$app/state';
  import DayScreen from '$features/day/DayScreen.svelte';
</script>

{#key page.params.id}<DayScreen id={page.params.id!} />{/key}
