<script lang="ts">
  import { page } from '$app/state';
  import RecordScreen from '$features/spraying/RecordScreen.svelte';
</script>

{#key page.params.job}<RecordScreen dayId={page.params.id!} jobId={page.params.job!} />{/key}
