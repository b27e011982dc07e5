<!-- The weather as measured while a job sprays: the wind that sensitive places are kept clear by, and what its record asks for. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';
  import { clock, fromShown, show, unitOf, type Quantity } from '$shared/format/units';
  import { pointOf } from '$shared/ui/WindArrow.svelte';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import type { LiveState } from '../state/live.svelte';
  import { opensAt } from '../words/words';

  let { run, live, writable }: { run: LiveState; live: Schemas['LiveOut']; writable: boolean } = $props();
  const places = $derived([...new Set(live.gates.flatMap((g) => (g.stops ?? []).map((s) => s.name)))]);
  const due = $derived(live.weather_due.filter((w) => w.due));
  const missed = $derived(live.weather_due.filter((w) => w.missed).length);
  const asked = $derived(places.length > 0 || live.weather_due.length > 0);
  const at = (s: number) => clock(opensAt(live), s);

  type Key = 'wind_m_s' | 'from_deg' | 'gust_m_s' | 'air_c' | 'humidity_frac' | 'upper_c';
  const FIELDS: { key: Key; label: string; quantity?: Quantity; unit?: string; low: number; high: number }[] = [
    { key: 'wind_m_s', label: 'Wind', quantity: 'm_s', low: 0, high: 80 },
    { key: 'from_deg', label: 'From', unit: '°', low: 0, high: 360 },
    { key: 'gust_m_s', label: 'Gust', quantity: 'm_s', low: 0, high: 80 },
    { key: 'air_c', label: 'Temperature', quantity: 'c', low: -60, high: 60 },
    { key: 'humidity_frac', label: 'Humidity', unit: '%', low: 0, high: 100 },
    { key: 'upper_c', label: 'Temperature above', quantity: 'c', low: -60, high: 60 },
  ];
  let typed = $state<Partial<Record<Key, string>>>({});
  let wrong = $state<Partial<Record<Key, string>>>({});

  function read() {
    const figures: Partial<Record<Key, number>> = {};
    wrong = {};
    for (const f of FIELDS) {
      const text = (typed[f.key] ?? '').trim();
      if (!text) continue;
      const number = Number(text.replace(',', '.').replace('−', '-'));
      const v = f.quantity ? fromShown(number, f.quantity, session.units) : number;
      if (!(v >= f.low && v <= f.high)) wrong[f.key] = f.quantity ? 'Not a plausible number.' : `Enter ${f.low} to ${f.high}.`;
      else figures[f.key] = f.unit === '%' ? v / 100 : v;
    }
    if (figures.upper_c !== undefined && figures.air_c === undefined)
      wrong.air_c = 'Needed with the temperature above: the two are compared.';
    return figures;
  }
  async function note() {
    const figures = read();
    if (Object.keys(wrong).length) return;
    if (!Object.keys(figures).length) {
      notices.say('Enter what was measured.', { bad: true });
      return;
    }
    // Emptied at once: the next may be typed while this one is on its way.
    typed = {};
    const wind =
      figures.wind_m_s === undefined
        ? ''
        : `wind ${show(figures.wind_m_s, 'm_s', session.units)}${figures.from_deg === undefined ? '' : ` from ${Math.round(figures.from_deg)}°`}`;
    await run.tap({ kind: 'observed', figures }, wind || 'weather');
  }
</script>

{#if asked && !live.closed}
  <form
    class="border-b border-rule px-6 py-2"
    data-testid="weather-measured"
    onsubmit={(e) => {
      e.preventDefault();
      void note();
    }}>
    <p class="m-0 mb-1">
      {#if due.length}<b class="text-copper" data-testid="weather-due"
          >! Measure the weather for the record: {due.map((w) => `${w.letter} ${w.words}, ${at(w.at_s)}`).join('; ')}.</b>
      {/if}
      {#if live.wind}<b
          >Wind {show(live.wind[0], 'm_s', session.units)} from {Math.round(live.wind[1])}°, {pointOf(live.wind[1])}</b
        >, measured{places.length ? `; ${places.join(', ')} kept clear by it` : ''}.
      {:else if places.length}<b>Measure the wind</b>: {places.join(', ')} kept clear by it.{/if}
      {#if missed}<span class="quiet"
          >{missed} {missed === 1 ? 'measurement' : 'measurements'} missed; the record asks for what it lacks.</span
        >{/if}
    </p>
    {#if writable}
      <div class="flex flex-wrap items-end gap-3">
        {#each FIELDS as f (f.key)}
          <label class="text-small"
            >{f.label}, {f.quantity ? unitOf(f.quantity, session.units) : f.unit}<input
              class="input block {f.key === 'upper_c' ? '!w-36' : '!w-24'}"
              inputmode="decimal"
              value={typed[f.key] ?? ''}
              aria-invalid={wrong[f.key] ? 'true' : undefined}
              oninput={(e) => (typed[f.key] = e.currentTarget.value)} />{#if wrong[f.key]}<span
                class="problem block max-w-36"
                role="alert">{wrong[f.key]}</span
              >{/if}</label>
        {/each}
        <button class="button">Record</button>
      </div>
    {/if}
  </form>
{/if}
