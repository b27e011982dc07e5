<!-- The picture of an answer: lines solid where read, dashed where inferred, marks named where they stand. -->
<script lang="ts">
  import Chart from '$shared/chart/Chart.svelte';
  import { span, through } from '$shared/chart/frame';
  import Level from '$shared/chart/Level.svelte';
  import Plumb from '$shared/chart/Plumb.svelte';
  import type { Picture } from './calculators';

  let { picture, label }: { picture: Picture; label: string } = $props();
  const points = $derived(picture.lines.flatMap((l) => l.points));
  const xs = $derived([...points.map((p) => p[0]), ...picture.marks.flatMap((m) => (m.x === null ? [] : [m.x]))]);
  const ys = $derived([...points.map((p) => p[1]), ...picture.marks.flatMap((m) => (m.y === null ? [] : [m.y]))]);
  const cells = $derived(picture.x === 'cell');
  const TONE = { plain: 'ink', good: 'lichen', watch: 'copper', bad: 'madder' } as const;
</script>

<Chart
  {label}
  height={300}
  x={picture.lines.length ? span(xs, 0, 0.06) : span(xs, 0.15)}
  y={span(ys, 0.14, 0.24)}
  margins={{ left: 46, right: 14, top: 10, bottom: 36 }}
  xTicks={cells ? picture.marks.flatMap((m) => (m.x === null ? [] : [m.x])) : 110}
  yTicks={picture.y ? 5 : null}
  xUnit={picture.x}
  yUnit={picture.y}>
  {#snippet children(f)}
    {#each picture.lines as l, k (k)}
      <path
        d={through(f, l.points)}
        fill="none"
        stroke={k ? 'var(--tarn)' : 'var(--ink)'}
        stroke-width="2"
        stroke-dasharray={l.dashed ? '6 5' : undefined} />
      {#if picture.lines.length > 1 && l.points.length > 2}
        {@const p = l.points[1]!}
        <text x={f.x(p[0]) + 10} y={f.y(p[1]) + (k ? -10 : 18)} class="strong halo {k ? 'tarn' : ''}">{l.name}</text>
      {/if}
    {/each}
    {#each picture.marks as m, k (k)}
      {#if m.x === null && m.y !== null}
        <Level {f} value={m.y} tone={TONE[m.tone]} words={m.words} under={cells} dash="7 4" />
      {:else if m.y === null && m.x !== null}
        <Plumb {f} at={m.x} tone={TONE[m.tone]} words={m.words} down={16 + 18 * (k % 3)} dash="7 4" />
      {:else if m.x !== null && m.y !== null}
        {@const left = f.x(m.x) > f.right - 136}
        {@const falls = left && points.some((p) => p[0] < m.x! && p[1] > m.y!)}
        {#if cells}<path d="M{f.x(m.x)} {f.top}V{f.y(m.y)}" stroke="var(--ink-2)" stroke-width="5" />{/if}
        <circle
          cx={f.x(m.x)}
          cy={f.y(m.y)}
          r={m.words ? 5 : 3.2}
          fill="var(--sheet)"
          stroke="var(--{TONE[m.tone]})"
          stroke-width="2" />
        <text
          x={f.x(m.x) + (cells ? 0 : left ? -10 : 10)}
          y={f.y(m.y) + (cells || m.tone === 'bad' ? 20 : falls ? 18 : -8)}
          text-anchor={cells ? 'middle' : left ? 'end' : 'start'}
          class="strong halo {TONE[m.tone]}">{m.words}</text>
      {/if}
    {/each}
  {/snippet}
</Chart>
