<script lang="ts">
  import { page } from '$app/state';
  import JobScreen from '$features/jobs/JobScreen.svelte';
</script>

{#key page.params.id}<JobScreen id={page.params.id!} />{/key}
