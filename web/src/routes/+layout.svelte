<script lang="ts">
  import '../app.css';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { session } from '$shared/session.svelte';
  import Header from '$shared/ui/Header.svelte';
  import { help } from '$shared/ui/help.svelte';
  import OwnPassword from '$shared/ui/OwnPassword.svelte';
  import Notices from '$shared/ui/Notices.svelte';
  import Patterns from '$shared/ui/Patterns.svelte';
  import SignIn from '$shared/ui/SignIn.svelte';

  let { children } = $props();
  void session.load();
  // The palette and the sheet of keys come when they are first asked for, and stay.
  const Help = $derived(help.wanted ? import('$shared/ui/Help.svelte') : null);
  const atDoor = $derived(page.url.pathname === '/sign-in' || page.url.pathname.startsWith('/sign-in/'));

  $effect(() => {
    if (session.me && !session.me.signed_in && !atDoor) void goto(`/sign-in?to=${encodeURIComponent(page.url.pathname)}`);
  });
  $effect(() =>
    help.offer('places', [
      { id: 'go-today', label: 'Go to Today', keys: '0', run: () => goto('/today') },
      { id: 'go-packs', label: 'Go to Packs', keys: '1', run: () => goto('/packs') },
      { id: 'go-jobs', label: 'Go to Jobs', keys: '2', run: () => goto('/jobs') },
      { id: 'go-days', label: 'Go to Day', keys: '3', run: () => goto('/days') },
      { id: 'go-limits', label: 'Go to Limits', keys: '4', run: () => goto('/limits') },
      { id: 'go-bench', label: 'Go to Calculators', keys: '5', run: () => goto('/bench') },
      { id: 'go-preflight', label: 'Go to Preflight', keys: '6', run: () => goto('/preflight') },
      { id: 'go-logbook', label: 'Go to Logbook', keys: '7', run: () => goto('/logbook') },
      { id: 'go-fleet', label: 'Go to Fleet and models', run: () => goto('/fleet') },
      { id: 'go-store', label: 'Go to Store of products', run: () => goto('/store') },
      { id: 'go-spray-records', label: 'Go to Spray records', run: () => goto('/logbook/spraying') },
      { id: 'go-searches', label: 'Go to Searches', keys: '8', run: () => goto('/searches') },
      { id: 'go-search-tables', label: 'Go to Kinds of person and sweep widths', run: () => goto('/searches/kinds') },
      { id: 'go-policy', label: 'Go to Policy', run: () => goto('/policy') },
      { id: 'go-company', label: 'Go to Company', run: () => goto('/company') },
      { id: 'go-people', label: 'Go to People', run: () => goto('/people') },
      { id: 'go-account', label: 'Go to Your sign-in: password, second step, sessions', run: () => goto('/account') },
      { id: 'go-history', label: 'Go to History', run: () => goto('/history') },
      { id: 'go-tokens', label: 'Go to Tokens for programs', run: () => goto('/tokens') },
      { id: 'go-server', label: 'Go to Server', run: () => goto('/server') },
      { id: 'light-day', label: 'Light: daylight', run: () => session.prefer({ light: 'day' }) },
      { id: 'light-sun', label: 'Light: bright sun', run: () => session.prefer({ light: 'sun' }) },
      { id: 'light-night', label: 'Light: night, red only', run: () => session.prefer({ light: 'night' }) },
      { id: 'gloves', label: 'Gloves on or off', run: () => session.prefer({ gloves: !session.me?.gloves }) },
    ]),
  );
</script>

<svelte:window onkeydown={(e) => help.press(e)} />
<Patterns />
<a href="#main" class="visually-hidden">To the content</a>
{#if atDoor}
  {@render children()}
{:else if session.me?.first_password}
  <OwnPassword />
{:else if session.me?.signed_in}
  <Header />
  <main id="main" class="max-hand:pb-16">{@render children()}</main>
  {#if Help}{#await Help then { default: Sheets }}<Sheets />{/await}{/if}
{:else if session.unreached}
  <div class="p-8" role="alert">
    <h1 class="mb-2">No link to the server</h1>
    <p class="mb-4 text-title">Nobody has signed in on this device yet, so it has nothing to show without one.</p>
    <button class="button dark" onclick={() => session.load()}>Try again</button>
  </div>
{:else}
  <p class="quiet p-6" role="status">One moment …</p>
{/if}
<Notices />
{#if session.lost && !atDoor}
  <div class="fixed inset-0 z-80 grid place-items-center bg-[var(--veil)]">
    <div class="w-[min(420px,92vw)] rounded border-line border-ink bg-sheet p-6" role="dialog" aria-label="Sign in again">
      <p class="mb-3">Your session has ended. Sign in again; what is on the screen stays.</p>
      <SignIn done={() => (session.lost = false)} />
    </div>
  </div>
{/if}
