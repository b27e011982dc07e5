<script lang="ts">
  import { call } from '$shared/api/call';
  import type { Problem } from '$shared/api/client';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import TextField from '$shared/ui/TextField.svelte';

  let own = $state({ old: '', new: '' });
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);

  async function send(e: SubmitEvent) {
    e.preventDefault();
    busy = true;
    problem = (await call('POST', '/api/me/password', { body: own })).problem;
    busy = false;
    if (problem) return;
    own = { old: '', new: '' };
    notices.say('Your password is changed. Your other sessions have ended.');
  }
</script>

<form class="flex flex-col gap-3" onsubmit={send}>
  <h2>Password</h2>
  <input class="hidden" autocomplete="username" value={session.me?.username} readonly aria-label="Name" />
  <TextField
    label="Present password"
    type="password"
    autocomplete="current-password"
    live
    value={own.old}
    onchange={(v) => (own.old = v)}
    problem={problem?.field === 'old' ? problem.detail : ''} />
  <TextField
    label="New password, ten characters or more"
    type="password"
    autocomplete="new-password"
    live
    value={own.new}
    onchange={(v) => (own.new = v)}
    problem={problem && problem.field !== 'old' ? problem.detail : ''} />
  <button class="button self-start" disabled={busy || !own.old || !own.new}>Change password</button>
</form>
