<!-- A drawing of figures over figures: measures its room, rules the sheet, names its ticks; what is drawn on it is the caller's. -->
<script lang="ts">
  import { sized } from '$shared/ui/sized';
  import type { Snippet } from 'svelte';
  import { frame, placeIn, type Frame, type Margins, type Span } from './frame';

  interface Props {
    label: string;
    height: number;
    x: Span;
    y: Span;
    margins?: Margins;
    /** The least room that it can be read in; a fixed width where it is given. */
    least?: number;
    fixed?: number;
    /** Ticks: how far apart at least (pixels), or where; none with null. */
    xTicks?: number | number[] | null;
    yTicks?: number[] | number | null;
    xWords?: (v: number) => string;
    yWords?: (v: number) => string;
    /** What the axes count, at their ends. */
    xUnit?: string;
    yUnit?: string;
    /** Drawn below the rules, and above them. */
    under?: Snippet<[Frame]>;
    /** A place along the sheet was pointed at, as a figure. */
    pick?: ((x: number) => void) | null;
    children: Snippet<[Frame]>;
  }
  const plain = (v: number) => String(Number(v.toFixed(3)));
  let {
    label,
    height,
    x,
    y,
    margins = {},
    least = 240,
    fixed,
    xTicks = 90,
    yTicks = 4,
    xWords = plain,
    yWords = plain,
    xUnit = '',
    yUnit = '',
    under,
    pick = null,
    children,
  }: Props = $props();
  let room = $state(360);
  const width = $derived(fixed ?? Math.max(least, room));
  const f = $derived(frame(width, height, x, y, margins));
  const along = $derived(
    xTicks === null ? [] : Array.isArray(xTicks) ? xTicks : f.x.ticks(Math.max(2, Math.floor((f.right - f.left) / xTicks))),
  );
  const up = $derived(yTicks === null ? [] : Array.isArray(yTicks) ? yTicks : f.y.ticks(yTicks));
</script>

<div class="min-w-0" {@attach sized((size) => (room = size.width))}>
  <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
  <svg
    {width}
    {height}
    class="chart block {pick ? 'cursor-crosshair' : ''}"
    role="img"
    aria-label={label}
    onclick={(e) => pick?.(f.x.invert(placeIn(e.currentTarget, e).x))}>
    <rect x={f.left} y={f.top} width={f.right - f.left} height={Math.max(0, f.floor - f.top)} fill="var(--sheet)" />
    {@render under?.(f)}
    {#each up as t, k (k)}
      <path d="M{f.left} {f.y(t)}H{f.right}" stroke="var(--rule)" stroke-width=".6" />
      <text x={f.left - 7} y={f.y(t) + 4} text-anchor="end">{yWords(t)}</text>
    {/each}
    {#each along as t, k (k)}<text x={f.x(t)} y={f.floor + 16} text-anchor="middle">{xWords(t)}</text>{/each}
    {@render children(f)}
    {#if yTicks !== null}<path d="M{f.left} {f.top}V{f.floor}" stroke="var(--ink)" stroke-width="1.4" />{/if}
    <path d="M{f.left} {f.floor}H{f.right}" stroke="var(--ink)" stroke-width="1.4" />
    {#if yUnit}<text x={f.left + 5} y={f.top + 12} class="halo">{yUnit}</text>{/if}
    {#if xUnit}<text x={f.right} y={f.floor + 31} text-anchor="end">{xUnit}</text>{/if}
  </svg>
</div>
