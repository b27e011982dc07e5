<!-- Tokens: what programs of the company show instead of a password. -->
<script lang="ts">
  import { Dialog } from 'bits-ui';
  import { call } from '$shared/api/call';
  import type { Schemas } from '$shared/api/client';
  import { shortDate } from '$shared/format/dates';
  import { clockOf } from '$shared/format/units';
  import { resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import TokenForm from './TokenForm.svelte';

  type Token = Schemas['TokenView'];
  const all = resource(() => call('GET', '/api/tokens'));
  const lead = $derived(session.may('tokens:write'));
  let adding = $state(false);
  let made = $state.raw<Schemas['NewToken'] | null>(null);
  let asking = $state.raw<Token | null>(null);
  const when = (t: string) => `${shortDate(t)}, ${clockOf(t)}`;
  const goodWords = (t: Token) =>
    t.revoked_at
      ? `revoked ${shortDate(t.revoked_at)}`
      : t.good
        ? `until ${shortDate(t.expires_at)}`
        : Date.parse(t.expires_at) < Date.now()
          ? `expired ${shortDate(t.expires_at)}`
          : `${t.made_by} has no access`;

  async function revoke(t: Token) {
    const { problem } = await call('DELETE', '/api/tokens/{token_id}', { params: { path: { token_id: t.id } } });
    notices.say(problem?.detail ?? `${t.name} is revoked`, { bad: !!problem });
    asking = null;
    await all.load();
  }
  async function copy(secret: string) {
    try {
      await navigator.clipboard.writeText(secret);
      notices.say('Copied');
    } catch {
      notices.say('This browser does not let a page copy. Select the words and copy them yourself.', { bad: true });
    }
  }
</script>

<div class="mx-auto max-w-309 px-6 py-6">
  <div class="mb-1 flex items-end gap-4">
    <h1 class="mr-auto">Tokens for programs</h1>
    <button class="button dark" disabled={!lead} onclick={() => (adding = true)}>Make a token</button>
  </div>
  <p class="quiet mb-5">
    A program between your aircraft or chargers and this server (a telemetry bridge), or one that fetches or delivers data, shows
    a token instead of a password. It does one thing, for a while, in the name of who made it.
  </p>
  <Failed of={all} />
  {#if all.value}
    <table class="sheet-table bg-sheet">
      <thead
        ><tr
          ><th>for</th><th>may</th><th>begins with</th><th>good</th><th>last used</th><th class="max-hand:hidden">made by</th><th
            ><span class="visually-hidden">what can be done</span></th
          ></tr
        ></thead>
      <tbody>
        {#each all.value as t (t.id)}
          <tr class:quiet={!t.good}>
            <td class="font-semibold">{t.name}</td>
            <td>{t.scope_words.toLowerCase()}{t.day_id ? ', one day alone' : ''}</td>
            <td><code>{t.hint} …</code></td>
            <td class="whitespace-nowrap">{goodWords(t)}</td>
            <td class="nums whitespace-nowrap">{t.used_at ? when(t.used_at) : 'never'}</td>
            <td class="max-hand:hidden">{t.made_by}, {shortDate(t.made_at)}</td>
            <td class="text-right"
              >{#if t.good}<button class="button plain" onclick={() => (asking = t)} aria-label="Revoke {t.name}">Revoke</button
                >{/if}</td>
          </tr>
        {:else}<tr><td colspan="7" class="quiet">None yet. Nothing but people asks this server.</td></tr>{/each}
      </tbody>
    </table>
  {:else if !all.problem}<p class="quiet" role="status">Looking …</p>{/if}
</div>

<Dialog.Root bind:open={adding}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-4 text-head">A new token</Dialog.Title>
      <TokenForm
        onmade={(m) => {
          adding = false;
          made = m;
          void all.load();
        }}
        oncancel={() => (adding = false)} />
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
<Dialog.Root bind:open={() => !!made, (o) => !o && (made = null)}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-3 text-head">Give this to the program, it is shown once</Dialog.Title>
      <p class="sharp my-3 select-all break-all text-title">{made?.secret}</p>
      <p class="mb-4">
        It is sent with each request in the header <code>Authorization: Bearer</code>. What it opens is answered at
        <code>/api/token</code>.
      </p>
      <div class="flex justify-end gap-3">
        <button class="button" onclick={() => made && copy(made.secret)}>Copy</button>
        <Dialog.Close class="button dark">Done</Dialog.Close>
      </div>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
<Dialog.Root bind:open={() => !!asking, (o) => !o && (asking = null)}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-3 text-head">Revoke {asking?.name}?</Dialog.Title>
      <p class="mb-4">
        The program that shows it is refused from its next request on. This cannot be undone; a new token can be made.
      </p>
      <div class="flex justify-end gap-3">
        <Dialog.Close class="button">Cancel</Dialog.Close><button class="button dark" onclick={() => asking && revoke(asking)}
          >Revoke token</button>
      </div>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
