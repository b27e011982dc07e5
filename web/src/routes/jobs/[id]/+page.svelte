<script lang="ts">
  import { page } from '$app/state';
  import JobScreen from '$features/jobs/JobScreen.svelte';
</script>

{#key page.params.id}<JobScreen
    id={page.params.id!}
    asFlown={page.url.searchParams.has('flown')}
    flownDay={page.url.searchParams.get('day') ?? ''} />{/key}
