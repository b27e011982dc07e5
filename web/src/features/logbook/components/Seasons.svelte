<!-- Minutes that packs gave from full to empty, by month of the year, one line a model; and the same as a table. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';
  import Chart from '$shared/chart/Chart.svelte';
  import { through } from '$shared/chart/frame';
  import { MONTHS } from '$shared/format/moments';
  import { digits, show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { LINES } from '../words/groups';
  import { overTheYear } from '../words/seasons';

  let { months }: { months: Schemas['MonthOfPack'][] } = $props();
  const models = $derived([...overTheYear(months)].map(([name, of], k) => ({ name, of, ...LINES[k % LINES.length]! })));
  const all = $derived(models.flatMap((m) => m.of.map((p) => p.minutes)));
  const short = (month: number) => MONTHS[month - 1]!.slice(0, 3);
</script>

<section class="mt-6" aria-label="Minutes from a full pack, by month">
  <h2 class="mb-1">Minutes from a full pack, by month</h2>
  <div class="mb-1 flex flex-wrap gap-x-5 gap-y-1 text-small">
    {#each models as m (m.name)}
      <span class="flex items-center gap-2"
        ><svg width="44" height="8" aria-hidden="true"
          ><path d="M0 4H44" stroke={m.colour} stroke-width="2.4" stroke-dasharray={m.dash} /></svg
        >{m.name}</span>
    {/each}
  </div>
  <div data-testid="seasons">
    <Chart
      label="Minutes from a full pack by month: {models.map((m) => m.name).join(', ')}"
      height={240}
      x={[0.5, 12.5]}
      y={[0, 1.15 * Math.max(1, ...all)]}
      margins={{ left: 54, right: 14, top: 16, bottom: 34 }}
      xTicks={[1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12]}
      xWords={short}
      yTicks={5}
      yUnit="minutes">
      {#snippet children(f)}
        {#each models as m (m.name)}
          <path
            d={through(
              f,
              m.of.map((p) => [p.month, p.minutes]),
            )}
            fill="none"
            stroke={m.colour}
            stroke-width="2.4"
            stroke-dasharray={m.dash} />
          {#each m.of as p (p.month)}<circle cx={f.x(p.month)} cy={f.y(p.minutes)} r="4" fill={m.colour}
              ><title>{m.name}, {short(p.month)}: {digits(p.minutes, 1)} min, {p.flights} flights</title></circle
            >{/each}
        {/each}
      {/snippet}
    </Chart>
  </div>
  <details class="text-small">
    <summary class="cursor-pointer">As a table</summary>
    <table class="sheet-table max-w-251 bg-sheet">
      <thead
        ><tr
          ><th>model of pack</th><th>month</th><th class="!text-right">minutes from full to empty</th><th class="!text-right"
            >flights</th
          ><th class="!text-right">air, mean</th></tr
        ></thead>
      <tbody>
        {#each models as m (m.name)}
          {#each m.of as p (p.month)}
            <tr
              ><td>{m.name}</td><td>{MONTHS[p.month - 1]}</td><td class="text-right">{digits(p.minutes, 1)}</td><td
                class="text-right">{digits(p.flights)}</td
              ><td class="text-right">{p.air_c === null ? '—' : show(p.air_c, 'c', session.units, 0)}</td></tr>
          {/each}
        {/each}
      </tbody>
    </table>
  </details>
  <p class="quiet mt-1 max-w-234 text-note">
    Time in the air over the share of the charge it used, years together; flights that used little of their charge are left out.
  </p>
</section>
