<!-- Every aircraft of the day in a row of its own, always as high: what is in the air is one tap from home, down or an emergency. -->
<script lang="ts">
  import { cut } from '$shared/format/cut';
  import { clock, percent } from '$shared/format/units';
  import type { LiveState } from '../state/live.svelte';
  import { countdown, opensAt, type Live } from '../words/words';

  interface Props {
    run: LiveState;
    live: Live;
    writable: boolean;
    onopen: (aircraft: Live['aircraft'][number]) => void;
  }
  let { run, live, writable, onopen }: Props = $props();
  const at = (s: number) => clock(opensAt(live), s);
  const flights = $derived(new Map(live.flights.map((f) => [f.id, f])));
  const read = $derived(new Map(live.telemetry.map((t) => [t.flight, t])));
  const lost = $derived(new Map(live.flights.filter((f) => f.word === 'lost').map((f) => [f.aircraft, f.id])));

  function readings(id: string): string {
    const t = read.get(id);
    if (!t) return '';
    const found = [];
    if (t.left_frac != null) found.push(percent(t.left_frac));
    if (t.lowest_v != null) found.push(`lowest cell ${t.lowest_v.toFixed(2)} V`);
    if (t.pack_c != null) found.push(`${Math.round(t.pack_c)} °C`);
    if (t.satellites != null) found.push(`${t.satellites} satellites`);
    if (t.from_home_m != null) found.push(`${Math.round(t.from_home_m)} m out`);
    return [...found, `${countdown(run.nowS - t.at_s)} old`].join(', ');
  }
</script>

<section class="min-w-0" aria-label="Aircraft">
  {#each live.aircraft as a (a.id)}
    {@const f = a.flight ? flights.get(a.flight) : undefined}
    <div
      class="grid h-19.5 grid-cols-[minmax(0,1fr)_auto] items-center gap-x-3 border-b border-rule max-phone:h-17 max-phone:gap-x-1"
      data-testid="aircraft">
      <div class="min-w-0 text-lead leading-tight">
        <div class="sharp truncate text-title" title={a.name}>{f ? `${f.id}, ` : ''}{cut(a.name, f ? 16 : 24)}</div>
        <div class="line-clamp-2 text-body" data-testid="air">
          {#if f}{f.homing_s === null ? 'lands' : 'coming home, lands'}
            {at(f.lands_s ?? run.nowS)}{readings(f.id) ? ` · ${readings(f.id)}` : ''}
          {:else if lost.has(a.id)}<b class="text-madder">lost on {lost.get(a.id)}</b>
          {:else if a.next}on the ground; {a.next} at {at(a.next_s ?? 0)}
          {:else}on the ground; nothing more to fly{/if}
        </div>
      </div>
      {#if f}<div class="grid grid-cols-3 gap-1.5">
          <button
            class="button !min-h-tap !px-2.5 max-phone:!px-1 max-phone:!text-note max-phone:w-21 max-phone:leading-tight"
            disabled={!writable || f.homing_s !== null}
            onclick={() => run.tap({ kind: 'homing', figures: { flight: f.id } }, `${f.id} comes home now`)}>Coming home</button>
          <button
            class="button !min-h-tap !px-2.5 max-phone:!px-1 max-phone:!text-note max-phone:w-21 max-phone:leading-tight"
            disabled={!writable}
            onclick={() => run.land(f.id, true)}>Landed early</button>
          <button
            class="button danger !min-h-tap !px-2.5 max-phone:!px-1 max-phone:!text-note max-phone:w-21 max-phone:leading-tight"
            disabled={!writable || f.emergency_s !== null}
            onclick={() => run.tap({ kind: 'emergency', figures: { flight: f.id } }, `emergency of ${f.id}`)}
            ><span aria-hidden="true" class="max-phone:hidden">◆</span> Emergency</button>
        </div>{:else if !lost.has(a.id)}<button class="button !min-h-tap" disabled={!writable} onclick={() => onopen(a)}
          >Launch or check …<span class="visually-hidden">, {a.name}</span></button
        >{/if}
    </div>
  {/each}
</section>
