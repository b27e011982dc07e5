<!-- The second step at sign-in: apps of codes, passkeys, spare codes. Each change asks for the password. -->
<script lang="ts">
  import { Dialog } from 'bits-ui';
  import { call } from '$shared/api/call';
  import type { Problem, Schemas } from '$shared/api/client';
  import { hasPasskeys, makePasskey } from '$shared/device/passkeys';
  import { shortDate } from '$shared/format/dates';
  import { resource } from '$shared/resource.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import TextField from '$shared/ui/TextField.svelte';

  type Change = { kind: 'app' | 'passkey' | 'codes' } | { kind: 'remove'; step: Schemas['SecondStep'] };
  const all = resource(() => call('GET', '/api/me/second-steps'));
  let change = $state.raw<Change | null>(null);
  let password = $state('');
  let name = $state('');
  let code = $state('');
  let app = $state.raw<Schemas['AppSecret'] | null>(null);
  let codes = $state.raw<string[]>([]);
  let busy = $state(false);
  let problem = $state.raw<Problem | null>(null);
  const steps = $derived(all.value?.steps ?? []);
  const passkeys = hasPasskeys();
  const TITLES = {
    app: 'Set up an app of codes',
    passkey: 'Add a passkey',
    codes: 'New spare codes',
    remove: 'Remove this second step?',
  };

  function begin(what: Change) {
    password = name = code = '';
    app = null;
    problem = null;
    change = what;
  }
  function end(made: string[] = []) {
    change = null;
    codes = made;
    void all.load();
  }
  async function send(e: SubmitEvent) {
    e.preventDefault();
    if (!change) return;
    busy = true;
    problem = await STEPS[change.kind]();
    busy = false;
  }
  const STEPS = {
    async app() {
      if (app) {
        const done = await call('PUT', '/api/me/second-steps/app', { body: { code } });
        if (done.data) end(done.data.codes);
        return done.problem;
      }
      const begun = await call('POST', '/api/me/second-steps/app', { body: { password } });
      app = begun.data;
      return begun.problem;
    },
    async passkey() {
      const begun = await call('POST', '/api/me/second-steps/passkey', { body: { password } });
      if (begun.problem) return begun.problem;
      const { credential, problem: none } = await makePasskey(begun.data.options);
      if (none) return none;
      const done = await call('PUT', '/api/me/second-steps/passkey', { body: { name, credential } });
      if (done.data) end(done.data.codes);
      return done.problem;
    },
    async codes() {
      const done = await call('POST', '/api/me/second-steps/codes', { body: { password } });
      if (done.data) end(done.data.codes);
      return done.problem;
    },
    async remove() {
      if (change?.kind !== 'remove') return null;
      const path = { step_id: change.step.id };
      const done = await call('POST', '/api/me/second-steps/{step_id}/remove', { params: { path }, body: { password } });
      if (done.problem) return done.problem;
      notices.say(`${change.step.name} is removed`);
      end();
      return null;
    },
  };
</script>

<section>
  <h2 class="mb-1">Second step</h2>
  <p class="mb-3">
    With a second step nobody signs in as you by your password alone. An app on your phone shows codes; a passkey is this device
    itself, opened by finger, face or PIN, and works without the password too.
  </p>
  <Failed of={all} />
  {#if all.value}
    {#if steps.length}
      <ul class="m-0 mb-3 list-none p-0">
        {#each steps as s (s.id)}
          <li class="flex items-center gap-3 border-b border-rule py-2">
            <b>{s.name}</b><span class="quiet mr-auto text-small"
              >{s.kind === 'app' ? 'app' : 'passkey'}, since {shortDate(s.made_at)}{s.used_at
                ? `, last used ${shortDate(s.used_at)}`
                : ', not used yet'}</span>
            <button class="button plain" onclick={() => begin({ kind: 'remove', step: s })} aria-label="Remove {s.name}"
              >Remove</button>
          </li>
        {/each}
        <li class="flex items-center gap-3 border-b border-rule py-2">
          <b>Spare codes</b><span class="mr-auto text-small" class:problem={all.value.codes_left < 3}
            >{all.value.codes_left} left{all.value.codes_left < 3 ? ': make new ones' : ''}</span>
          <button class="button plain" onclick={() => begin({ kind: 'codes' })}>Make new ones</button>
        </li>
      </ul>
    {:else}<p class="quiet mb-3">None is set up: your password alone signs you in.</p>{/if}
    <div class="flex flex-wrap gap-3">
      {#if !steps.some((s) => s.kind === 'app')}<button class="button" onclick={() => begin({ kind: 'app' })}
          >Set up an app</button
        >{/if}
      {#if passkeys}<button class="button" onclick={() => begin({ kind: 'passkey' })}>Add a passkey</button>{/if}
    </div>
    {#if !passkeys}<p class="quiet mt-2 text-small">Passkeys need a secure address (https) and a browser that has them.</p>{/if}
  {:else if !all.problem}<p class="quiet" role="status">Looking …</p>{/if}
</section>

<Dialog.Root bind:open={() => !!change, (o) => !o && (change = null)}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-4 text-head">{change ? TITLES[change.kind] : ''}</Dialog.Title>
      <form class="flex flex-col gap-4" onsubmit={send}>
        {#if app}
          <p>Scan this with your app, or type the secret into it. Then enter the code that it shows.</p>
          <img class="self-center bg-white" src={app.picture} alt="Code to scan with the app" width="220" height="220" />
          <p class="sharp select-all break-all text-center text-small">{app.secret.match(/.{1,4}/g)?.join(' ')}</p>
          <TextField
            label="Code"
            live
            autocomplete="one-time-code"
            value={code}
            onchange={(v) => (code = v.replaceAll(' ', ''))}
            problem={problem?.detail ?? ''} />
        {:else}
          {#if change?.kind === 'remove'}<p>
              {change.step.name} will no longer sign you in.{steps.length === 1 ? ' The spare codes go with it.' : ''}
            </p>{/if}
          {#if change?.kind === 'codes'}<p>The spare codes that you have stop working.</p>{/if}
          {#if change?.kind === 'passkey'}<TextField
              label="Name, to tell it apart (tablet of the van)"
              live
              maxlength={60}
              value={name}
              onchange={(v) => (name = v)} />{/if}
          <TextField
            label="Your password"
            type="password"
            autocomplete="current-password"
            live
            value={password}
            onchange={(v) => (password = v)}
            problem={problem?.detail ?? ''} />
        {/if}
        <div class="flex justify-end gap-3">
          <Dialog.Close class="button" type="button">Cancel</Dialog.Close>
          <button class="button dark" disabled={busy || (app ? code.length < 6 : !password)}
            >{busy ? 'One moment …' : change?.kind === 'remove' ? 'Remove' : app ? 'Finish' : 'Go on'}</button>
        </div>
      </form>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
<Dialog.Root bind:open={() => codes.length > 0, (o) => !o && (codes = [])}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-3 text-head">Write these down, they are shown once</Dialog.Title>
      <p class="mb-3">Each signs you in once in place of your second step, when the phone is lost or broken.</p>
      <ol class="sharp m-0 mb-4 grid list-none grid-cols-2 gap-x-6 gap-y-1 p-0 text-title select-all">
        {#each codes as c (c)}<li>{c}</li>{/each}
      </ol>
      <Dialog.Close class="button dark">I have them</Dialog.Close>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
