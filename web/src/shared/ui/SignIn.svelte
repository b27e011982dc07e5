<script lang="ts">
  import type { Problem } from '$shared/api/client';
  import { session } from '$shared/session.svelte';
  import TextField from './TextField.svelte';

  let { done }: { done: () => void } = $props();
  let username = $state('');
  let password = $state('');
  let busy = $state(false);
  let problem = $state.raw<Problem | null>(null);

  async function send(e: SubmitEvent) {
    e.preventDefault();
    busy = true;
    problem = await session.signIn(username, password);
    busy = false;
    if (!problem) done();
  }
</script>

<form class="flex flex-col gap-4" onsubmit={send}>
  <TextField
    label="Name"
    live
    value={username}
    onchange={(v) => (username = v)}
    autocomplete="username"
    problem={problem?.field === 'username' ? problem.detail : ''} />
  <TextField
    label="Password"
    live
    type="password"
    value={password}
    onchange={(v) => (password = v)}
    autocomplete="current-password"
    problem={problem && problem.field !== 'username' ? problem.detail : ''} />
  <button class="button dark min-h-12.5" disabled={busy || !username || !password}>{busy ? 'Looking …' : 'Sign in'}</button>
</form>
