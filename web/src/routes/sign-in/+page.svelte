<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { session } from '$shared/session.svelte';
  import Mark from '$shared/ui/Mark.svelte';
  import SignIn from '$shared/ui/SignIn.svelte';

  function on() {
    const to = page.url.searchParams.get('to') ?? '/today';
    void goto(to.startsWith('/') && !to.startsWith('//') && to !== '/sign-in' ? to : '/today');
  }
  $effect(() => {
    if (session.me?.signed_in) on();
  });
  // A bank of strata: each state of a pack once, as it lies in the section of a day.
  const beds = [
    { p: 'p-resting', y: 0, h: 150 },
    { p: 'p-ready', y: 110, h: 230 },
    { p: 'p-charging', y: 300, h: 150 },
    { p: 'p-cooling', y: 420, h: 90 },
    { p: 'p-flying', y: 486, h: 120 },
    { p: 'p-waiting', y: 590, h: 240 },
  ];
  const wave = (y: number, k: number) =>
    `M0 ${y + 26}C160 ${y - 14 - 9 * k} 300 ${y + 44} 460 ${y + 10}S720 ${y - 22} 900 ${y + 18}V1000H0Z`;
</script>

<svelte:head><title>Sign in · Gentle Quarry</title></svelte:head>
<main class="grid min-h-dvh grid-cols-[1fr_460px] bg-paper max-tablet:grid-cols-1">
  <svg class="h-full w-full max-tablet:hidden" viewBox="0 0 900 800" preserveAspectRatio="xMidYMid slice" aria-hidden="true">
    <rect width="900" height="800" fill="var(--paper)" />
    {#each beds as b, k (b.p)}<path d={wave(b.y + 96, k % 3)} fill="url(#{b.p})" stroke="var(--ink)" stroke-width="1.6" />{/each}
    <path d="M612 40V770" stroke="var(--ink)" stroke-width="2" /><path d="M604 768h16l-8 22z" fill="var(--ink)" />
  </svg>
  <section class="flex flex-col justify-center bg-sheet px-12 py-10 max-tablet:px-8">
    <div class="mb-8 flex items-center gap-3">
      <Mark size={40} />
      <h1>Gentle Quarry</h1>
    </div>
    <p class="mb-6 text-lead">From a piece of ground and a box of packs to a flown day.</p>
    <SignIn done={on} />
    <p class="quiet mt-8 text-small">
      {#if session.me?.mail}<a href="/sign-in/forgotten">Forgotten your password?</a> No account yet? The operations lead of your crew
        gives you one.{:else}No account yet, or the password forgotten? The operations lead of your crew gives you one.{/if}
    </p>
  </section>
</main>
