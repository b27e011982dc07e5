<!-- The picture of an answer: lines solid where read, dashed where inferred, marks named where they stand. -->
<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import { line } from 'd3-shape';
  import type { Picture } from './calculators';

  let { picture, label }: { picture: Picture; label: string } = $props();
  let width = $state(520);
  const H = 300;
  const left = 46;
  const points = $derived([
    ...picture.lines.flatMap((l) => l.points),
    ...picture.marks.filter((m) => m.x !== null && m.y !== null).map((m): [number, number] => [m.x!, m.y!]),
  ]);
  const xs = $derived([...points.map((p) => p[0]), ...picture.marks.filter((m) => m.x !== null).map((m) => m.x!)]);
  const ys = $derived([...points.map((p) => p[1]), ...picture.marks.filter((m) => m.y !== null).map((m) => m.y!)]);
  const pad = (v: number[], low: number, high: number): [number, number] => {
    const span = Math.max(...v) - Math.min(...v) || 1;
    return [Math.min(...v) - span * low, Math.max(...v) + span * high];
  };
  const x = $derived(scaleLinear(picture.lines.length ? pad(xs, 0, 0.06) : pad(xs, 0.15, 0.15), [left, width - 14]));
  const y = $derived(scaleLinear(pad(ys, 0.1, 0.14), [H - 34, 10]));
  const draw = $derived(
    line<[number, number]>()
      .x((p) => x(p[0]))
      .y((p) => y(p[1])),
  );
  const TONE = { plain: 'var(--ink)', good: 'var(--lichen)', watch: 'var(--copper)', bad: 'var(--madder)' };
  const end = (v: number) => (x(v) > width - 150 ? 'end' : 'start');
</script>

<div class="min-w-0" bind:clientWidth={width}>
  <svg {width} height={H} class="block" role="img" aria-label={label}>
    <rect x={left} y="10" width={Math.max(0, width - left - 14)} height={H - 44} fill="var(--sheet)" />
    {#if picture.y}{#each y.ticks(5) as t (t)}<path d="M{left} {y(t)}H{width - 14}" stroke="var(--rule)" stroke-width=".6" /><text
          x={left - 7}
          y={y(t) + 4}
          text-anchor="end"
          font-size="12"
          fill="var(--ink-2)">{Number(t.toFixed(3))}</text
        >{/each}{/if}
    {#each x.ticks(Math.max(3, Math.floor(width / 110))).filter((t) => picture.x !== 'cell' || Number.isInteger(t)) as t (t)}<text
        x={x(t)}
        y={H - 16}
        text-anchor="middle"
        font-size="12"
        fill="var(--ink-2)">{t}</text
      >{/each}
    <text x={width - 14} y={H - 2} text-anchor="end" font-size="12" fill="var(--ink-2)">{picture.x}</text>
    {#each picture.lines as l, k (k)}
      <path
        d={draw(l.points)}
        fill="none"
        stroke={k ? 'var(--tarn)' : 'var(--ink)'}
        stroke-width="2"
        stroke-dasharray={l.dashed ? '6 5' : undefined} />
      {#if picture.lines.length > 1 && l.points.length > 2}
        {@const p = l.points[1]!}
        <text x={x(p[0]) + 10} y={y(p[1]) + (k ? -10 : 18)} font-size="12" class="halo" fill={k ? 'var(--tarn)' : 'var(--ink)'}
          >{l.name}</text>
      {/if}
    {/each}
    {#each picture.marks as m, k (k)}
      {#if m.x === null && m.y !== null}
        <path d="M{left} {y(m.y)}H{width - 14}" stroke={TONE[m.tone]} stroke-width="1.5" stroke-dasharray="7 4" />
        <text
          x={left + 8}
          y={y(m.y) + (picture.x === 'cell' ? 15 : -5)}
          font-size="12.5"
          font-weight="620"
          class="halo"
          fill={TONE[m.tone]}>{m.words}</text>
      {:else if m.y === null && m.x !== null}
        <path d="M{x(m.x)} 10V{H - 34}" stroke={TONE[m.tone]} stroke-width="1.5" stroke-dasharray="7 4" />
        <text
          x={x(m.x) + (end(m.x) === 'end' ? -6 : 6)}
          y={26 + 18 * (k % 3)}
          text-anchor={end(m.x)}
          font-size="12.5"
          font-weight="620"
          class="halo"
          fill={TONE[m.tone]}>{m.words}</text>
      {:else if m.x !== null && m.y !== null}
        {#if picture.x === 'cell'}<path d="M{x(m.x)} 10V{y(m.y)}" stroke="var(--ink-2)" stroke-width="5" />{/if}
        <circle cx={x(m.x)} cy={y(m.y)} r={m.words ? 5 : 3.2} fill="var(--sheet)" stroke={TONE[m.tone]} stroke-width="2" />
        <text
          x={picture.x === 'cell' ? x(m.x) : x(m.x) + (end(m.x) === 'end' ? -10 : 10)}
          y={picture.x === 'cell' ? y(m.y) + 20 : m.tone === 'bad' ? y(m.y) + 20 : y(m.y) - 8}
          text-anchor={picture.x === 'cell' ? 'middle' : end(m.x)}
          font-size="12.5"
          font-weight="620"
          class="halo"
          fill={TONE[m.tone]}>{m.words}</text>
      {/if}
    {/each}
    <path d="M{left} 10V{H - 34}H{width - 14}" fill="none" stroke="var(--ink)" stroke-width="1.4" />
    {#if picture.y}<text x={left + 6} y="22" font-size="12" class="halo" fill="var(--ink-2)">{picture.y}</text>{/if}
  </svg>
</div>

<style>
  .halo {
    paint-order: stroke;
    stroke: var(--sheet);
    stroke-width: 4px;
  }
</style>
