<!-- Who signed in with a password that somebody else made chooses one of their own before anything else. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import type { Problem } from '$shared/api/client';
  import { session } from '$shared/session.svelte';
  import TextField from './TextField.svelte';

  let old = $state('');
  let own = $state('');
  let busy = $state(false);
  let problem = $state.raw<Problem | null>(null);

  async function send(e: SubmitEvent) {
    e.preventDefault();
    busy = true;
    const { problem: bad } = await call('POST', '/api/me/password', { body: { old, new: own } });
    busy = false;
    problem = bad;
    if (!bad) await session.load();
  }
</script>

<main id="main" class="mx-auto max-w-105 px-6 py-16">
  <h1 class="mb-2">Choose your own password</h1>
  <p class="mb-6">You signed in with a password that was made for you. Only you should know the next one.</p>
  <form class="flex flex-col gap-4" onsubmit={send}>
    <TextField
      label="Password you were given"
      live
      type="password"
      value={old}
      onchange={(v) => (old = v)}
      autocomplete="current-password"
      problem={problem?.field === 'old' ? problem.detail : ''} />
    <TextField
      label="Your own password, 10 characters or more"
      live
      type="password"
      value={own}
      onchange={(v) => (own = v)}
      autocomplete="new-password"
      problem={problem && problem.field !== 'old' ? problem.detail : ''} />
    <button class="button dark min-h-12.5" disabled={busy || !old || !own}>{busy ? 'Saving …' : 'Save password'}</button>
    <button type="button" class="button plain" onclick={() => session.signOut()}>Sign out</button>
  </form>
</main>
