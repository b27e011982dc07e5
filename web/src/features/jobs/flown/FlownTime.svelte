<!-- When what was flown: a slider of time under the map, with the sorties above it. -->
<script lang="ts">
  import { clock, minutes } from '$shared/format/units';
  import { lookOf } from '../state/look';
  import type { Flown } from './flown.svelte';

  let { flown }: { flown: Flown } = $props();
  const view = $derived(flown.view!);
  const whole = $derived(Math.max(1, view.length_s));
  const opening = $derived({ opens: '', opens_at: view.began_at, time_zone: view.time_zone });
  const spans = $derived(view.sorties.filter((s) => s.from_s != null && s.to_s != null));
  const now = $derived(clock(opening, flown.moment));
  let playing = $state(false);

  // A day goes by in half a minute.
  $effect(() => {
    if (!playing) return;
    const step = setInterval(() => {
      const next = flown.moment + whole / 240;
      if (next >= whole) playing = false;
      flown.until = next >= whole ? null : next;
    }, 125);
    return () => clearInterval(step);
  });
  function play() {
    if (!playing && flown.moment >= whole) flown.until = 0;
    playing = !playing;
  }
  const numberOf = (sortie: string) => Number(sortie.replace(/\D/g, '')) || 1;
</script>

<div class="flex items-center gap-3 bg-paper px-4 py-2">
  <button class="button small" aria-pressed={playing} onclick={play}>{playing ? 'Stop' : 'Play'}</button>
  <div class="relative min-w-0 flex-1">
    <svg class="block h-7 w-full" viewBox="0 0 1000 28" preserveAspectRatio="none" aria-hidden="true">
      {#each spans as s (s.sortie)}
        {@const a = (s.from_s! / whole) * 1000}
        {@const b = (s.to_s! / whole) * 1000}
        <rect
          x={a}
          y="15"
          width={Math.max(2, b - a)}
          height="11"
          fill={`var(${lookOf(numberOf(s.sortie)).token})`}
          fill-opacity={s.source === 'landing' ? 0.25 : 0.8} />
      {/each}
      <rect x="0" y="27" width="1000" height="1" fill="var(--rule)" />
    </svg>
    {#each spans as s (s.sortie)}
      <span class="sharp pointer-events-none absolute top-0 text-note" style:left="{(s.from_s! / whole) * 100}%">{s.sortie}</span>
    {/each}
    <input
      class="block w-full accent-ink"
      type="range"
      min="0"
      max={whole}
      step={Math.max(1, whole / 600)}
      value={flown.moment}
      aria-label="Moment looked at"
      aria-valuetext={now}
      oninput={(e) => {
        const at = Number(e.currentTarget.value);
        flown.until = at >= whole * 0.999 ? null : at;
      }} />
  </div>
  <output class="sharp w-20 text-right text-lead" data-testid="flown-moment">{now}</output>
  <span class="quiet text-small max-tablet:hidden">{minutes(flown.moment)} of {minutes(whole)} min</span>
</div>
