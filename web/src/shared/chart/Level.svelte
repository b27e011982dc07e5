<!-- A value across the sheet: a line, its words on it, hatched on the side where it is bad. -->
<script lang="ts">
  import type { Frame } from './frame';

  interface Props {
    f: Frame;
    value: number;
    tone?: 'ink' | 'madder' | 'copper' | 'tarn' | 'lichen';
    words?: string;
    /** The words below the line instead of above it. */
    under?: boolean;
    dash?: string;
    width?: number;
    /** Which side is hatched. */
    bad?: 'below' | 'above' | null;
  }
  let { f, value, tone = 'ink', words = '', under = false, dash, width = 1.5, bad = null }: Props = $props();
  const at = $derived(Math.min(f.floor, Math.max(f.top, f.y(value))));
</script>

{#if bad}<rect
    x={f.left}
    y={bad === 'below' ? at : f.top}
    width={f.right - f.left}
    height={Math.max(0, bad === 'below' ? f.floor - at : at - f.top)}
    fill="url(#p-grounded)"
    opacity=".7" />{/if}
<path d="M{f.left} {at}H{f.right}" stroke="var(--{tone})" stroke-width={width} stroke-dasharray={dash} />
{#if words}<text x={f.left + 8} y={under ? at + 15 : at - 5} class="strong halo {tone}">{words}</text>{/if}
