<!-- Minutes from full of an aircraft on its packs: what the maker states, and what flights got, in all and by what they differ in. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';
  import { digits, percent } from '$shared/format/units';
  import { signed } from '../words/book';

  let { minutes }: { minutes: Schemas['MinutesOut'] } = $props();
  const KINDS: Record<Schemas['RatedClaim']['kind'], string> = {
    hover: 'Maker, hover',
    steady: 'Maker, steady',
    mixed: 'Maker, mixed',
    figures: 'By energy and mean draw entered',
  };
  const WAYS: Record<Schemas['MeasuredMinutes']['by'], string> = {
    all: 'All',
    firmware: 'Firmware',
    season: 'Season',
    air: 'Air',
  };
  const left = (share: number) => (share > 0 ? `to ${percent(share)} left` : 'to empty');
</script>

<section class="mb-6" aria-label="Minutes of {minutes.aircraft_model} on {minutes.pack_model}" data-testid="minutes">
  <h2 class="mb-1">{minutes.aircraft_model} on {minutes.pack_model}: minutes from full</h2>
  <div class="mb-2 flex flex-wrap gap-x-10 gap-y-3">
    {#each minutes.rated as r (r.kind)}
      <div>
        <div class="text-small">{KINDS[r.kind]}, {left(r.left_frac)}</div>
        <div class="sharp text-page">{digits(r.rated_min, 1)} rated, {digits(r.measured_min, 1)} min measured</div>
        <div class="quiet text-note">{signed(percent(r.measured_min / r.rated_min - 1))} against the rating</div>
      </div>
    {/each}
    {#if minutes.rated.length === 1}<p class="quiet m-0 max-w-80 self-end text-note">
        Enter the flight times that the maker states at the model of aircraft, and they are held against these flights.
      </p>{/if}
  </div>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div class="overflow-x-auto" tabindex="0" role="region" aria-label="Minutes measured, table">
    <table class="sheet-table max-w-280 bg-sheet">
      <thead
        ><tr
          ><th>measured</th><th class="!text-right">flights</th><th class="!text-right"
            >to the reserve, {percent(minutes.reserve_frac)}</th
          ><th class="!text-right">to the first warning</th><th class="!text-right">to empty</th><th class="!text-right"
            >shortest … longest</th
          ><th class="!text-right">with a knee</th></tr
        ></thead>
      <tbody>
        {#each minutes.rows as r (r.by + r.name)}
          <tr>
            <td>{r.by === 'all' ? 'All flights' : `${WAYS[r.by]}: ${r.name}`}</td>
            <td class="text-right">{digits(r.flights)}</td>
            <td class="text-right">{digits(r.to_reserve_min, 1)}</td>
            <td class="text-right">{r.to_warning_min === null ? '—' : digits(r.to_warning_min, 1)}</td>
            <td class="text-right font-semibold">{digits(r.to_empty_min, 1)}</td>
            <td class="text-right">{digits(r.least_min, 1)} … {digits(r.most_min, 1)}</td>
            <td class="text-right">{digits(r.kneed)}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
</section>
