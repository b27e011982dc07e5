<!-- A round length at the middle of the map, in the person's units. -->
<script lang="ts">
  import { digits } from '$shared/format/units';
  import { session } from '$shared/session.svelte';

  let { perPx }: { perPx: number } = $props();
  const FEET = 3.28084;
  const bar = $derived.by(() => {
    const unit = perPx * (session.units === 'imperial' ? FEET : 1);
    const want = unit * 165;
    const step = 10 ** Math.floor(Math.log10(want));
    const length = [5, 2, 1].map((k) => k * step).find((k) => k <= want) ?? step;
    return {
      px: length / unit,
      text: `${digits(length)} ${session.units === 'imperial' ? 'ft' : 'm'}`,
      half: digits(length / 2),
    };
  });
</script>

<div class="rounded bg-sheet/95 px-3 py-1.5 text-note" role="img" aria-label="Scale: the bar is {bar.text} long">
  <div class="flex justify-between gap-2">
    <span>0</span>{#if bar.px > 90}<span>{bar.half}</span>{/if}<span>{bar.text}</span>
  </div>
  <svg width={bar.px} height="6" aria-hidden="true"
    ><rect width={bar.px} height="5" fill="none" stroke="var(--ink)" /><rect
      width={bar.px / 4}
      height="5"
      fill="var(--ink)" /><rect x={bar.px / 2} width={bar.px / 4} height="5" fill="var(--ink)" /></svg>
</div>
