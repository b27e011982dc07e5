<!-- North, and the wind that is planned with: the arrow shows where it blows to. -->
<script lang="ts">
  import { show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import type { Job } from '../state/draft.svelte';

  let { wind }: { wind: Job['wind'] } = $props();
</script>

<div class="absolute right-4 top-4 flex flex-col items-center gap-2" role="group" aria-label="Wind planned with">
  <svg
    width="68"
    height="68"
    viewBox="-34 -34 68 68"
    role="img"
    aria-label="North is up. Wind from {wind.from_deg} degrees; the arrow shows where the wind blows to">
    <circle r="33" fill="var(--sheet)" opacity=".95" />
    {#each Array.from({ length: 12 }, (_, k) => k * 30) as a (a)}<path
        d="M0 -30V-26"
        stroke="var(--ink-2)"
        transform="rotate({a})" />{/each}
    <text y="-17" text-anchor="middle" font-size="12" font-weight="650" fill="var(--ink)">N</text>
    <g transform="rotate({wind.from_deg + 180})"
      ><path d="M0 19V-4" stroke="var(--tarn)" stroke-width="3.4" /><path d="M0 -18l6.5 14h-13z" fill="var(--tarn)" /></g>
  </svg>
  <span class="rounded bg-sheet/95 px-2 py-1 text-note font-semibold text-tarn"
    >{show(wind.speed_m_s, 'm_s', session.units)} from {Math.round(wind.from_deg)}°{wind.assumed ? ', assumed' : ''}</span>
</div>
