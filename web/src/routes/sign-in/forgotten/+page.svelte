<script lang="ts">
  import { call } from '$shared/api/call';
  import type { Problem } from '$shared/api/client';
  import Door from '$shared/ui/Door.svelte';
  import TextField from '$shared/ui/TextField.svelte';

  let email = $state('');
  let sent = $state('');
  let busy = $state(false);
  let problem = $state.raw<Problem | null>(null);

  async function send(e: SubmitEvent) {
    e.preventDefault();
    busy = true;
    problem = (await call('POST', '/api/password/forgotten', { body: { email } })).problem;
    busy = false;
    if (!problem) sent = email;
  }
</script>

<Door title="A new password">
  {#if sent}
    <p role="status">
      If somebody signs in with <b>{sent}</b>, an e-mail is on its way. Its link works once, for three days. Check the spam folder
      too.
    </p>
  {:else}
    <form class="flex flex-col gap-4" onsubmit={send}>
      <p>Enter the e-mail address that your operations lead has entered for you. A link for a new password is sent there.</p>
      <TextField
        label="E-mail"
        live
        type="email"
        value={email}
        onchange={(v) => (email = v)}
        autocomplete="email"
        problem={problem?.detail ?? ''} />
      <button class="button dark min-h-12.5" disabled={busy || !email}>{busy ? 'Sending …' : 'Send the link'}</button>
    </form>
  {/if}
</Door>
