<!-- Signing in: name or mail and password, the company where that is needed, a second step where one is set up; or a passkey alone. -->
<script lang="ts">
  import type { Problem } from '$shared/api/client';
  import { hasPasskeys } from '$shared/device/passkeys';
  import { session } from '$shared/session.svelte';
  import TextField from './TextField.svelte';

  let { done }: { done: () => void } = $props();
  let username = $state('');
  let password = $state('');
  let company = $state('');
  let code = $state('');
  let severalCompanies = $state(false);
  let busy = $state(false);
  let problem = $state.raw<Problem | null>(null);
  const waits = $derived(session.me?.second_step ?? []);
  const passkeys = hasPasskeys();

  async function attempt(door: () => Promise<Problem | null>) {
    busy = true;
    problem = await door();
    busy = false;
    if (problem?.code === 'which_company') severalCompanies = true;
    if (problem?.code === 'expired') await session.load();
    if (session.me?.signed_in) done();
  }
  function send(e: SubmitEvent) {
    e.preventDefault();
    void attempt(() => (waits.length ? session.signInByCode(code) : session.signIn(username, password, company)));
  }
  async function otherwise() {
    code = '';
    problem = null;
    await session.signOut(true);
  }
  const at = (field: string) => (problem?.field === field ? problem.detail : '');
</script>

<form class="flex flex-col gap-4" onsubmit={send}>
  {#if waits.length}
    <h2>Second step</h2>
    {#if waits.includes('app')}<p>Enter the code that your app shows now.</p>{/if}
    <TextField
      label={waits.includes('app') ? 'Code of the app, or a spare code' : 'Spare code'}
      live
      value={code}
      onchange={(v) => (code = v.replaceAll(' ', ''))}
      autocomplete="one-time-code"
      problem={problem && problem.field !== 'credential' ? problem.detail : ''} />
    <button class="button dark min-h-12.5" disabled={busy || code.length < 6}>{busy ? 'Looking …' : 'Sign in'}</button>
    {#if waits.includes('passkey') && passkeys}
      <button type="button" class="button min-h-12.5" disabled={busy} onclick={() => attempt(() => session.signInByPasskey())}
        >Use a passkey</button>
      {#if at('credential')}<p class="problem text-small" role="alert">{at('credential')}</p>{/if}
    {/if}
    <button type="button" class="button plain" onclick={otherwise}>Sign in as somebody else</button>
  {:else}
    {#if severalCompanies}<TextField
        label="Company"
        live
        value={company}
        onchange={(v) => (company = v)}
        autocomplete="organization"
        problem={at('company')} />{/if}
    <TextField
      label="Name or e-mail"
      live
      value={username}
      onchange={(v) => (username = v)}
      autocomplete="username"
      problem={at('username')} />
    <TextField
      label="Password"
      live
      type="password"
      value={password}
      onchange={(v) => (password = v)}
      autocomplete="current-password"
      problem={problem && !['username', 'company', 'credential'].includes(problem.field) ? problem.detail : ''} />
    <button class="button dark min-h-12.5" disabled={busy || !username || !password}>{busy ? 'Looking …' : 'Sign in'}</button>
    {#if passkeys}
      <button type="button" class="button min-h-12.5" disabled={busy} onclick={() => attempt(() => session.signInByPasskey())}
        >Sign in with a passkey</button>
      {#if at('credential')}<p class="problem text-small" role="alert">{at('credential')}</p>{/if}
    {/if}
  {/if}
</form>
