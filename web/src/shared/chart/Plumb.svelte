<!-- A place along the sheet: an upright line and its words, on the side where they find room. -->
<script lang="ts">
  import type { Frame } from './frame';

  interface Props {
    f: Frame;
    at: number;
    tone?: 'ink' | 'madder' | 'copper' | 'tarn' | 'lichen';
    words?: string;
    /** How far below the top the words stand, and on which side if that is settled. */
    down?: number;
    side?: 'start' | 'end' | null;
    dash?: string;
    width?: number;
  }
  let { f, at, tone = 'ink', words = '', down = 12, side = null, dash, width = 1.5 }: Props = $props();
  const where = $derived(side ?? (f.x(at) > f.right - 136 ? 'end' : 'start'));
</script>

<path d="M{f.x(at)} {f.top}V{f.floor}" stroke="var(--{tone})" stroke-width={width} stroke-dasharray={dash} />
{#if words}<text x={f.x(at) + (where === 'end' ? -6 : 6)} y={f.top + down} text-anchor={where} class="strong halo {tone}"
    >{words}</text
  >{/if}
