<!-- The wind as measured, where a job of the day stays off sensitive places: asked for when the last one is old. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';
  import { fromShown, show, unitOf } from '$shared/format/units';
  import { pointOf } from '$shared/ui/WindArrow.svelte';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import type { LiveState } from '../state/live.svelte';

  let { run, live, writable }: { run: LiveState; live: Schemas['LiveOut']; writable: boolean } = $props();
  const places = $derived([...new Set(live.gates.flatMap((g) => (g.stops ?? []).map((s) => s.name)))]);
  let speed = $state('');
  let from = $state('');
  let gust = $state('');

  const number = (text: string) => (text.trim() === '' ? NaN : Number(text.replace(',', '.')));
  async function note() {
    const wind_m_s = fromShown(number(speed), 'm_s', session.units);
    const from_deg = number(from);
    if (!(wind_m_s >= 0 && wind_m_s <= 80 && from_deg >= 0 && from_deg <= 360)) {
      notices.say('Enter the wind and where it is from, 0 to 360°.', { bad: true });
      return;
    }
    const gust_m_s = fromShown(number(gust), 'm_s', session.units);
    const figures = { wind_m_s, from_deg, ...(gust_m_s >= 0 ? { gust_m_s } : {}) };
    // Emptied at once: the next may be typed while this one is on its way.
    speed = from = gust = '';
    await run.tap({ kind: 'observed', figures }, `wind ${show(wind_m_s, 'm_s', session.units)} from ${Math.round(from_deg)}°`);
  }
</script>

{#if places.length && !live.closed}
  <form
    class="flex flex-wrap items-end gap-3 border-b border-rule px-6 py-2"
    data-testid="wind-measured"
    onsubmit={(e) => {
      e.preventDefault();
      void note();
    }}>
    <span class="min-w-0 grow basis-60">
      {#if live.wind}<b
          >Wind {show(live.wind[0], 'm_s', session.units)} from {Math.round(live.wind[1])}°, {pointOf(live.wind[1])}</b
        >, measured; {places.join(', ')} kept clear by it.
      {:else}<b>Measure the wind</b>: {places.join(', ')} kept clear by it.{/if}
    </span>
    {#if writable}
      {#each [['speed', `Wind, ${unitOf('m_s', session.units)}`], ['from', 'From, °'], ['gust', `Gust, ${unitOf('m_s', session.units)}`]] as const as [key, label] (key)}
        <label class="text-small"
          >{label}<input
            class="input block !w-24"
            inputmode="decimal"
            value={key === 'speed' ? speed : key === 'from' ? from : gust}
            oninput={(e) => {
              const v = e.currentTarget.value;
              if (key === 'speed') speed = v;
              else if (key === 'from') from = v;
              else gust = v;
            }} /></label>
      {/each}
      <button class="button">Record</button>
    {/if}
  </form>
{/if}
