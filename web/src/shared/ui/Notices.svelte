<!-- Short words on what happened. They lie where they cover nothing that can be tapped. -->
<script lang="ts">
  import { tick } from 'svelte';
  import { freeSpot, tappable } from './free-spot';
  import { notices } from './notices.svelte';

  let box: HTMLElement | undefined = $state();
  let spot = $state({ left: 0, top: 0 });

  function lay() {
    if (!box || !notices.list.length) return;
    const { width, height } = box.getBoundingClientRect();
    spot = freeSpot({ width, height }, { width: innerWidth, height: innerHeight }, tappable(box));
  }
  $effect(() => {
    if (!notices.list.length) return;
    void tick().then(lay);
    // What is said of often changes the screen a moment later.
    const again = [150, 600].map((ms) => setTimeout(lay, ms));
    return () => again.forEach(clearTimeout);
  });
</script>

<svelte:window onresize={lay} />
<div
  bind:this={box}
  class="no-print fixed z-70 flex max-w-[94vw] flex-col gap-2"
  style:left="{spot.left}px"
  style:top="{spot.top}px"
  onpointerenter={() => notices.hold(true)}
  onpointerleave={() => notices.hold(false)}
  onfocusin={() => notices.hold(true)}
  onfocusout={() => notices.hold(false)}
  role="status"
  aria-live="polite">
  {#each notices.list as n (n.id)}
    <div
      class="flex items-center gap-4 rounded border-line border-ink px-4 py-2 shadow-lg {n.bad ? 'bg-wash-madder' : 'bg-sheet'}">
      <span class="min-w-0 break-words">{n.text}</span>
      {#if n.undo}<button
          class="button"
          onclick={() => {
            n.undo?.();
            notices.drop(n.id);
          }}>Undo</button
        >{/if}
      <button class="button plain" onclick={() => notices.drop(n.id)} aria-label="Close">×</button>
    </div>
  {/each}
</div>
