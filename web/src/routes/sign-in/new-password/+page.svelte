<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { call } from '$shared/api/call';
  import type { Problem } from '$shared/api/client';
  import Door from '$shared/ui/Door.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import TextField from '$shared/ui/TextField.svelte';

  const key = page.url.searchParams.get('key') ?? '';
  let password = $state('');
  let busy = $state(false);
  let problem = $state.raw<Problem | null>(null);

  async function send(e: SubmitEvent) {
    e.preventDefault();
    busy = true;
    problem = (await call('POST', '/api/password/new', { body: { key, password } })).problem;
    busy = false;
    if (problem) return;
    notices.say('Your password is changed. Sign in with it.');
    await goto('/sign-in');
  }
</script>

<Door title="Your new password">
  <form class="flex flex-col gap-4" onsubmit={send}>
    <TextField
      label="New password, ten characters or more"
      live
      type="password"
      value={password}
      onchange={(v) => (password = v)}
      autocomplete="new-password"
      problem={problem && problem.field !== 'key' ? problem.detail : ''} />
    <button class="button dark min-h-12.5" disabled={busy || !password}>{busy ? 'Saving …' : 'Save password'}</button>
    {#if problem?.field === 'key'}
      <p class="problem" role="alert">{problem.detail}</p>
      <a href="/sign-in/forgotten">Ask for another e-mail</a>
    {/if}
  </form>
</Door>
