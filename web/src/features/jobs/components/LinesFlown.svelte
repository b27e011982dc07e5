<!-- How the lines are flown in the wind of the plan, lines flown alike in one row, and what they get where they are sprayed. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';
  import { digits, show, toShown, unitOf } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { alike, asFlown } from '../words/lines';

  let { lines, passes = [] }: { lines: Schemas['LineOut'][]; passes?: Schemas['PassOut'][] } = $props();
  const groups = $derived(alike(lines));
  const sprayed = $derived(lines.some((x) => (x.dose_l_ha ?? null) !== null));
  const speed = (v: number) => digits(toShown(v, 'm_s', session.units), 1);
</script>

<details class="mt-1 text-small">
  <summary class="inline-flex min-h-touch cursor-pointer items-center font-semibold"
    >How the lines are flown in this wind</summary>
  <table class="w-full border-collapse" data-testid="lines-flown">
    <thead
      ><tr class="quiet text-note align-bottom"
        ><th class="text-left font-normal">lines</th><th class="text-right font-normal">track</th><th
          class="text-right font-normal">ground {unitOf('m_s', session.units)}</th
        ><th class="text-right font-normal">air {unitOf('m_s', session.units)}</th><th class="text-right font-normal">power W</th
        >{#if sprayed}<th class="text-right font-normal">gets {unitOf('l_ha', session.units)}</th>{/if}</tr
      ></thead>
    <tbody>
      {#each groups as g (g.first.number)}
        <tr class="border-b border-rule">
          <td
            ><b>{g.count}</b>
            <span class="quiet text-note"
              >{asFlown(g.first, passes.find((p) => p.part === g.first.part)?.name ?? '', (m) =>
                show(m, 'm', session.units, 0),
              )}</span
            ></td>
          <td class="text-right">{Math.round(g.first.track_deg) % 360}°</td>
          <td class="text-right">{speed(g.first.ground_m_s)}</td>
          <td class="text-right">{speed(g.first.air_m_s)}</td>
          <td class="text-right">{Math.round(g.first.power_w)}</td>
          {#if sprayed}<td class="text-right">{digits(toShown(g.first.dose_l_ha ?? 0, 'l_ha', session.units), 1)}</td>{/if}
        </tr>
      {/each}
    </tbody>
  </table>
  <p class="quiet m-0">Power is never counted below that in calm air, for wind is never steady.</p>
</details>
