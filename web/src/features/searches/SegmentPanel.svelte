<!-- A segment: its name, cover, access and hazards, a typed share; what it holds and was searched with. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';
  import { percent, show, type System } from '$shared/format/units';
  import Choice from '$shared/ui/Choice.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import TextField from '$shared/ui/TextField.svelte';

  interface Props {
    segment: Schemas['SegmentOut'];
    writable: boolean;
    unit: System;
    onsave: (change: { id: string } & Record<string, unknown>) => void;
    ondelete: (id: string) => void;
  }
  let { segment, writable, unit, onsave, ondelete }: Props = $props();
  const COVERS = ['open', 'scrub', 'wood', 'water', 'rock', 'built'].map((c) => ({ value: c, label: c }));
  const set = (over: Record<string, unknown>) => onsave({ id: segment.id, ...over });
</script>

<section class="mt-3 flex flex-col gap-1.5 border-t border-rule pt-2" aria-label="Segment {segment.name}">
  <h3 class="m-0">Segment {segment.name}: {percent(segment.share_frac, 1)}</h3>
  <p class="m-0 text-small">
    {show(segment.area_ha, 'ha', unit, 1)}{segment.slope_frac === null ? '' : `, slope ${percent(segment.slope_frac)}`}; was {percent(
      segment.began_frac,
      1,
    )} at first; {segment.looks
      ? `searched ${segment.looks === 1 ? 'once' : `${segment.looks} times`}, POD ${percent(segment.detection_frac)}`
      : 'not searched yet'}; sweep width {show(segment.width_m, 'm', unit, 0)}, {segment.width_from}
  </p>
  <TextField
    label="Name"
    value={segment.name}
    disabled={!writable}
    onchange={(v) => v.trim() && set({ name: v.trim().slice(0, 40) })} />
  <Choice label="Ground cover" value={segment.cover} options={COVERS} disabled={!writable} onchange={(v) => set({ cover: v })} />
  <NumberField
    label="Share typed"
    unit="%"
    scale={100}
    digits={1}
    value={segment.typed}
    disabled={!writable}
    onchange={(v) => set({ share: v })} />
  <TextField label="Access" value={segment.access} disabled={!writable} onchange={(v) => set({ access: v })} />
  <TextField label="Hazards" value={segment.hazards} disabled={!writable} onchange={(v) => set({ hazards: v })} />
  {#if writable}<button class="button justify-self-start" onclick={() => ondelete(segment.id)}>Delete segment</button>{/if}
</section>
