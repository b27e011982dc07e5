<script lang="ts">
  import { sized } from '$shared/ui/sized';
  import { page } from '$app/state';
  import { session } from '$shared/session.svelte';
  import { help } from './help.svelte';
  import Mark from './Mark.svelte';

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
  let nav: HTMLElement | undefined = $state();
  let width = $state(1280);
  let lift = $state({ x: 0, w: 0 });
  const active = $derived(
    page.url.pathname.startsWith('/fleet') || page.url.pathname.startsWith('/store')
      ? '/packs'
      : page.url.pathname.startsWith('/preflight')
        ? '/limits'
        : page.url.pathname.startsWith('/searches')
          ? '/jobs'
          : page.url.pathname === live
            ? live
            : (places.find((p) => page.url.pathname.startsWith(p.href))?.href ?? ''),
  );

  $effect(() => {
    void width;
    const here = `a[href="${active}"]`;
    // With the frame that lays the page out anyway.
    const frame = requestAnimationFrame(() => {
      const el = nav?.querySelector<HTMLElement>(here);
      lift = el ? { x: el.offsetLeft, w: el.offsetWidth } : { x: -200, w: 0 };
    });
    return () => cancelAnimationFrame(frame);
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

  // Menus come when the first is opened.
  let menu = $state<'' | 'account' | 'more'>('');
  let wanted = $state(false);
  const Menus = $derived(wanted ? import('./Menus.svelte') : null);
  let who: HTMLElement | null = $state(null);
  let more: HTMLElement | null = $state(null);
  function toggle(which: typeof menu) {
    menu = menu === which ? '' : which;
    wanted = true;
  }
</script>

<header class="no-print sticky top-0 z-30 bg-paper" {@attach sized((size) => (width = size.width))}>
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
      <button
        bind:this={who}
        class="button plain max-w-86 max-tablet:max-w-43 max-tablet:!px-2"
        aria-haspopup="menu"
        aria-expanded={menu === 'account'}
        onclick={() => toggle('account')}>
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
      </button>
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
  <button
    bind:this={more}
    aria-haspopup="menu"
    aria-expanded={menu === 'more'}
    onclick={() => toggle('more')}
    class="flex min-h-tap min-w-0 flex-1 items-center justify-center text-small {far.some((p) => p.href === active)
      ? 'sharp border-t-4 border-ink'
      : 'text-ink-2'}">More</button>
</nav>

{#if Menus}{#await Menus then { default: Lists }}<Lists bind:menu {who} {more} {far} />{/await}{/if}
