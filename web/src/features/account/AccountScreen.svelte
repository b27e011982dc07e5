<!-- One's own ways to sign in: the password, the second step, the sessions that are open. -->
<script lang="ts">
  import { session } from '$shared/session.svelte';
  import OwnPasswordForm from './OwnPasswordForm.svelte';
  import SecondSteps from './SecondSteps.svelte';
  import Sessions from './Sessions.svelte';
</script>

<div class="mx-auto max-w-309 px-6 py-6">
  <h1 class="mb-1">Your sign-in</h1>
  <p class="quiet mb-6">
    {session.me?.full_name || session.me?.username} of {session.me?.organisation}, signs in as
    <b>{session.me?.username}</b>{session.me?.email ? ` or ${session.me.email}` : ''}.
  </p>
  <div class="grid grid-cols-[300px_minmax(0,1fr)] gap-x-14 gap-y-10 max-tablet:grid-cols-1">
    <OwnPasswordForm />
    <div class="flex flex-col gap-10">
      <SecondSteps />
      <Sessions />
    </div>
  </div>
</div>
