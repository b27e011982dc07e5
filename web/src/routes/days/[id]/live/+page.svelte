<script lang="ts">
  import { page } from '$app/state';
  import { session } from '$shared/session.svelte';
  import LiveScreen from '$features/live/LiveScreen.svelte';
</script>

<!-- What one person tapped is never sent for another: a new person begins anew. -->
{#key `${page.params.id} ${session.me?.id}`}<LiveScreen id={page.params.id!} />{/key}
