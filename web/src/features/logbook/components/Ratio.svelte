<!-- What flights measured against the claim: one mark each, the claim a plumb line, where the truth lies nine times in ten, what plans go by. -->
<script lang="ts">
  import { sized } from '$shared/ui/sized';
  import { scaleLinear } from 'd3-scale';
  import { digits } from '$shared/format/units';
  import type { Lesson } from '../words/book';

  let { lesson }: { lesson: Lesson } = $props();
  let width = $state(280);
  const H = 34;
  const t = $derived(lesson.figures);
  const all = $derived([
    1,
    lesson.now_factor,
    ...(t ? [t.low, t.high, t.measured_ratio] : []),
    ...lesson.points.map((p) => p.ratio).filter((r) => r > 0.4 && r < 2.5),
  ]);
  const off = $derived(Math.max(0.06, ...all.map((v) => Math.abs(v - 1))) * 1.12);
  const x = $derived(scaleLinear([1 - off, 1 + off], [10, Math.max(60, width - 10)]));
  const words = $derived(
    t ? `middle ${digits(t.measured_ratio, 2)} of ${t.count}, between ${digits(t.low, 2)} and ${digits(t.high, 2)}` : '',
  );
</script>

<div {@attach sized((size) => (width = size.width))} class="min-w-51">
  <svg {width} height={H} class="block" role="img" aria-label={words}>
    <path d="M10 {H - 12}H{width - 10}" stroke="var(--rule)" />
    {#if t}
      <rect
        x={x(t.low)}
        y={H - 17}
        width={Math.max(2, x(t.high) - x(t.low))}
        height="10"
        fill="var(--wash-tarn)"
        stroke="var(--tarn)"
        stroke-width=".8" />
    {/if}
    <path d="M{x(1)} 2V{H - 3}" stroke="var(--ink)" stroke-width="1.2" />
    {#each lesson.points as p (p.flight_id)}
      {#if p.ratio > 1 - off && p.ratio < 1 + off}<path
          d="M{x(p.ratio)} {H - 18}v12"
          stroke="var(--tarn)"
          stroke-width="1.6" />{/if}
    {/each}
    {#if t}<path d="M{x(t.measured_ratio)} {H - 21}l4 -6h-8z" fill="var(--tarn)" />{/if}
    {#if lesson.now_number !== null}<path d="M{x(lesson.now_factor)} {H - 5}l4 5h-8z" fill="var(--copper)" />{/if}
    <text
      x={x(1) + (t && t.measured_ratio > 1 ? -5 : 5)}
      y="11"
      font-size="11.5"
      text-anchor={t && t.measured_ratio > 1 ? 'end' : 'start'}
      fill="var(--ink-2)">rated</text>
  </svg>
  <div class="quiet text-note">{words}{t?.left_out ? `, ${t.left_out} not believed` : ''}</div>
</div>
