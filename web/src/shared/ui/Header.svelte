<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { AlertDialog, DropdownMenu } from 'bits-ui';
  import { session } from '$shared/session.svelte';
  import { help } from './help.svelte';
  import Mark from './Mark.svelte';
  import { notices } from './notices.svelte';

  const live = $derived(session.me?.live_day ? `/days/${session.me.live_day}/live` : '');
  const places = $derived([
    { href: '/today', label: 'Today' },
    { href: '/packs', label: 'Packs' },
    { href: '/jobs', label: 'Jobs' },
    { href: '/days', label: 'Day' },
    ...(live ? [{ href: live, label: 'Live' }] : []),
    { href: '/limits', label: 'Limits' },
    { href: '/logbook', label: 'Logbook' },
    { href: '/bench', label: 'Calculators' },
  ]);
  // In the hand the first ones lie at the thumb, the rest behind More.
  const far = $derived(places.filter((p) => ['/limits', '/logbook', '/bench'].includes(p.href)));
  const near = $derived(places.filter((p) => !far.includes(p)));
  const lights = [
    { id: 'day', label: 'Daylight' },
    { id: 'sun', label: 'Bright sun' },
    { id: 'night', label: 'Night, red only' },
  ] as const;

  let nav: HTMLElement | undefined = $state();
  let width = $state(1280);
  let lift = $state({ x: 0, w: 0 });
  const active = $derived(
    page.url.pathname.startsWith('/fleet')
      ? '/packs'
      : page.url.pathname.startsWith('/preflight')
        ? '/limits'
        : page.url.pathname === live
          ? live
          : (places.find((p) => page.url.pathname.startsWith(p.href))?.href ?? ''),
  );

  $effect(() => {
    void width;
    const el = nav?.querySelector<HTMLElement>(`a[href="${active}"]`);
    lift = el ? { x: el.offsetLeft, w: el.offsetWidth } : { x: -200, w: 0 };
  });

  // The beds below the words fold up under the active one.
  function bed(k: number): string {
    const y = 2 + k * 4;
    const rise = Math.max(0, 7 - k * 2);
    const { x, w } = lift;
    if (!w) return `M0 ${y}H${width}`;
    const a = x - 16 - k * 3;
    const b = x + w + 16 + k * 3;
    return `M0 ${y}H${a}c8 0 8 ${-rise} 16 ${-rise}H${b - 16}c8 0 8 ${rise} 16 ${rise}H${width}`;
  }

  let unsent = $state(0);
  async function leave(anyway = false) {
    const { waiting, problem } = await session.signOut(anyway);
    unsent = waiting;
    if (problem) notices.say('No link to the server: you can sign out when it is back.', { bad: true });
    else if (!waiting) await goto('/sign-in');
  }
</script>

<header class="no-print sticky top-0 z-30 bg-paper" bind:clientWidth={width}>
  <div class="flex h-15 items-center gap-5 px-6 max-tablet:gap-2 max-tablet:px-4">
    <a href="/today" class="flex items-center gap-2.5 no-underline" aria-label="Gentle Quarry, start">
      <Mark /><span class="sharp text-title max-tablet:hidden">Gentle Quarry</span>
    </a>
    <nav bind:this={nav} aria-label="Main" class="ml-3 flex gap-2 max-tablet:ml-1 max-tablet:gap-0 max-hand:hidden">
      {#each places as p (p.href)}
        <a
          href={p.href}
          aria-current={active === p.href ? 'page' : undefined}
          class="flex min-h-touch items-center px-4 text-lead no-underline max-tablet:px-2.5 {active === p.href
            ? 'sharp'
            : 'text-ink-2'}">{p.label}</a>
      {/each}
    </nav>
    <div class="ml-auto flex min-w-0 items-center gap-2 max-tablet:gap-0">
      <button class="button plain" onclick={() => (help.palette = true)} aria-label="Find and do (Ctrl K)">
        <svg width="16" height="16" viewBox="0 0 16 16" aria-hidden="true"
          ><circle cx="6.5" cy="6.5" r="4.7" fill="none" stroke="currentColor" stroke-width="1.8" /><path
            d="M10.2 10.2 15 15"
            stroke="currentColor"
            stroke-width="2" /></svg>
      </button>
      <button class="button plain" onclick={() => (help.keys = true)} aria-label="Keys (?)">?</button>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger class="button plain max-w-86 max-tablet:max-w-43 max-tablet:!px-2">
          <svg class="hidden max-hand:block" width="20" height="20" viewBox="0 0 20 20" aria-hidden="true"
            ><circle cx="10" cy="6.5" r="3.7" fill="none" stroke="currentColor" stroke-width="1.8" /><path
              d="M2.5 18.5c.8-4.6 3.6-6.6 7.5-6.6s6.7 2 7.5 6.6"
              fill="none"
              stroke="currentColor"
              stroke-width="1.8" /></svg>
          <span class="truncate"
            >{session.me?.organisation}<span class="quiet ml-2 font-normal max-tablet:hidden"
              >{session.me?.full_name || session.me?.username}</span
            ></span>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content class="menu" align="end" sideOffset={6}>
            <DropdownMenu.Group aria-label="Light">
              {#each lights as l (l.id)}
                <DropdownMenu.CheckboxItem
                  class="menu-item"
                  checked={session.me?.light === l.id}
                  onSelect={() => session.prefer({ light: l.id })}>
                  {#snippet children({ checked })}<span class="w-4">{checked ? '✓' : ''}</span>{l.label}{/snippet}
                </DropdownMenu.CheckboxItem>
              {/each}
            </DropdownMenu.Group>
            <DropdownMenu.Separator class="menu-line" />
            <DropdownMenu.CheckboxItem
              class="menu-item"
              checked={session.me?.gloves ?? false}
              onSelect={() => session.prefer({ gloves: !session.me?.gloves })}>
              {#snippet children({ checked })}<span class="w-4">{checked ? '✓' : ''}</span>Gloves: large targets{/snippet}
            </DropdownMenu.CheckboxItem>
            <DropdownMenu.CheckboxItem
              class="menu-item"
              checked={session.units === 'imperial'}
              onSelect={() => session.prefer({ units: session.units === 'metric' ? 'imperial' : 'metric' })}>
              {#snippet children({ checked })}<span class="w-4">{checked ? '✓' : ''}</span>Imperial units{/snippet}
            </DropdownMenu.CheckboxItem>
            <DropdownMenu.Separator class="menu-line" />
            <DropdownMenu.Item class="menu-item" onSelect={() => goto('/fleet')}
              ><span class="w-4"></span>Fleet and models</DropdownMenu.Item>
            <DropdownMenu.Item class="menu-item" onSelect={() => goto('/policy')}
              ><span class="w-4"></span>Policy</DropdownMenu.Item>
            <DropdownMenu.Item class="menu-item" onSelect={() => goto('/company')}
              ><span class="w-4"></span>Company</DropdownMenu.Item>
            <DropdownMenu.Item class="menu-item" onSelect={() => goto('/people')}
              ><span class="w-4"></span>People and password</DropdownMenu.Item>
            <DropdownMenu.Item class="menu-item" onSelect={() => leave()}><span class="w-4"></span>Sign out</DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </div>
  </div>
  <svg class="absolute left-0 top-13 block w-full overflow-visible" height="18" aria-hidden="true">
    <rect y="9" width="100%" height="9" fill="var(--paper)" />
    {#each [0, 1, 2, 3] as k (k)}
      <path
        d={bed(k)}
        transform="translate(0 7)"
        fill="none"
        stroke={k === 0 ? 'var(--ink)' : 'var(--rule)'}
        stroke-width={k === 0 ? 1.8 : 1.1}
        style="transition: d var(--settle) ease" />
    {/each}
  </svg>
  <div class="h-4.5"></div>
</header>

<nav
  aria-label="Main, bottom"
  class="no-print fixed inset-x-0 bottom-0 z-30 hidden border-t-line border-ink bg-paper pb-[env(safe-area-inset-bottom)] max-hand:flex">
  {#each near as p (p.href)}
    <a
      href={p.href}
      aria-current={active === p.href ? 'page' : undefined}
      class="flex min-h-tap min-w-0 flex-1 items-center justify-center text-small no-underline {active === p.href
        ? 'sharp border-t-4 border-ink'
        : 'text-ink-2'}">{p.label}</a>
  {/each}
  <DropdownMenu.Root>
    <DropdownMenu.Trigger
      class="flex min-h-tap min-w-0 flex-1 items-center justify-center text-small {far.some((p) => p.href === active)
        ? 'sharp border-t-4 border-ink'
        : 'text-ink-2'}">More</DropdownMenu.Trigger>
    <DropdownMenu.Portal>
      <DropdownMenu.Content class="menu" align="end" side="top" sideOffset={6}>
        {#each far as p (p.href)}<DropdownMenu.Item class="menu-item" onSelect={() => goto(p.href)}>{p.label}</DropdownMenu.Item
          >{/each}
      </DropdownMenu.Content>
    </DropdownMenu.Portal>
  </DropdownMenu.Root>
</nav>

<AlertDialog.Root open={unsent > 0} onOpenChange={(open) => (unsent = open ? unsent : 0)}>
  <AlertDialog.Portal>
    <AlertDialog.Overlay class="fixed inset-0 z-70 bg-[var(--veil)]" />
    <AlertDialog.Content
      class="fixed left-1/2 top-1/3 z-71 w-[min(460px,92vw)] -translate-x-1/2 rounded border-line border-ink bg-sheet p-6">
      <AlertDialog.Title class="sharp text-head"
        >{unsent === 1 ? 'One tap is' : `${unsent} taps are`} not sent yet</AlertDialog.Title>
      <AlertDialog.Description class="my-3 text-lead">
        There is no link. Stay signed in until it is back, or sign out: what was tapped stays on this device and is sent when you
        sign in here again.
      </AlertDialog.Description>
      <div class="flex gap-3">
        <AlertDialog.Cancel class="button dark flex-1">Stay signed in</AlertDialog.Cancel>
        <AlertDialog.Action class="button flex-1" onclick={() => leave(true)}>Sign out</AlertDialog.Action>
      </div>
    </AlertDialog.Content>
  </AlertDialog.Portal>
</AlertDialog.Root>

<style>
  :global(.menu) {
    z-index: 60;
    min-width: 220px;
    padding: 6px;
    border: 1.5px solid var(--ink);
    border-radius: 5px;
    background: var(--sheet);
    box-shadow: 0 6px 18px var(--shadow);
  }
  :global(.menu-item) {
    display: flex;
    min-height: var(--target);
    align-items: center;
    gap: 8px;
    padding: 0 10px;
    border-radius: 3px;
    cursor: pointer;
    outline: none;
  }
  :global(.menu-item[data-highlighted]) {
    background: var(--paper-deep);
  }
  :global(.menu-line) {
    margin: 5px 0;
    border-top: 1px solid var(--rule);
  }
</style>
