<!-- The week of a day: the hours of each date side by side, nights left out, with what each day flies. -->
<script lang="ts">
  import { partsOfDate, weekday } from '$shared/format/moments';
  import { sized } from '$shared/ui/sized';
  import { scaleLinear } from 'd3-scale';
  import { call } from '$shared/api/call';
  import { type Schemas } from '$shared/api/client';
  import { clock, dayName, hoursOf, overMidnight, secondsOf } from '$shared/format/units';
  import { Resource } from '$shared/resource.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import type { Day } from '../state/day.svelte';

  let { day, number }: { day: Day; number: number } = $props();
  const planned = new Resource(() => call('GET', '/api/days/{day_id}/week', { params: { path: { day_id: day.id } } }));
  const rows = $derived(planned.value);
  let width = $state(900);
  $effect(() => {
    void number;
    void planned.load();
  });
  const LANE = 46;
  const TOP = 26;
  const DAY_MS = 86_400_000;
  const dates = $derived.by(() => {
    const noon = Date.parse(`${day.date}T12:00:00Z`);
    const sinceMonday = (Math.floor(noon / DAY_MS) + 3) % 7;
    return Array.from({ length: 7 }, (_, k) => new Date(noon + (k - sinceMonday) * DAY_MS).toISOString().slice(0, 10));
  });
  const all = $derived(rows ?? []);
  const open = $derived(Math.min(secondsOf(day.opens), ...all.map((d) => secondsOf(d.opens))));
  const close = $derived(Math.max(...[day, ...all].map((d) => secondsOf(d.closes) + (overMidnight(d) ? 86_400 : 0))));
  const column = $derived(width / 7);
  const x = $derived(scaleLinear([open, close], [6, column - 6]));
  const lanes = $derived(Math.max(1, ...dates.map((d) => all.filter((r) => r.date === d).length)));
  const height = $derived(TOP + lanes * LANE + 4);
  const short = (date: string) => `${weekday(date).slice(0, 3)} ${partsOfDate(date).day}`;
  const told = (d: Schemas['WeekDayOut']) =>
    `${d.name}, ${dayName(d.date)}: ${hoursOf(d)}, ${d.flights.length} sorties${d.finish_s === null ? ', no plan yet' : `, last landing ${clock(d, d.finish_s)}`}`;
</script>

<section aria-label="The week" data-testid="week" class="mb-3">
  <Failed of={planned} />
  <div {@attach sized((size) => (width = size.width))}></div>
  {#if rows === null}<p class="quiet" role="status">Looking through the week …</p>
  {:else}
    <svg {width} {height} class="block bg-sheet" role="group" aria-label="Days of this week">
      {#each dates as date, k (date)}
        {@const mine = all.filter((d) => d.date === date)}
        <text x={k * column + 6} y="17" class:strong={date === day.date}>{short(date)}</text>
        <path d="M{k * column} 0V{height}" stroke="var(--rule)" />
        {#each mine as d, n (d.id)}
          {@const at = secondsOf(d.opens)}
          {@const y = TOP + n * LANE}
          <a href="/days/{d.id}" aria-label={told(d)} aria-current={d.id === day.id ? 'date' : undefined}>
            <title>{told(d)}</title>
            <rect x={k * column + 2} {y} width={Math.max(0, column - 4)} height={LANE - 4} fill="var(--sheet)" stroke="none" />
            {#each d.windows as [a, b] (a)}
              <rect
                x={k * column + x(at + a)}
                y={y + 18}
                width={Math.max(0, x(at + b) - x(at + a))}
                height="18"
                fill="var(--paper-deep)" />
            {/each}
            {#each d.flights as [a, b], f (f)}
              <rect
                x={k * column + x(at + a)}
                y={y + 20}
                width={Math.max(1, x(at + b) - x(at + a))}
                height="14"
                fill="url(#p-flying)" />
            {/each}
            {#if d.finish_s !== null}<path
                d="M{k * column + x(at + d.finish_s)} {y + 16}V{y + 38}"
                stroke="var(--ink)"
                stroke-width="1.8"
                stroke-dasharray="3 2" />{/if}
            <text x={k * column + 6} y={y + 13} class="small" class:strong={d.id === day.id}
              >{d.letters.join(' ')} {d.finish_s === null ? 'no plan' : `to ${clock(d, d.finish_s)}`}</text>
          </a>
        {:else}<text x={k * column + 6} y={TOP + 16} class="small">–</text>{/each}
      {/each}
    </svg>
    {#if all.length < 2}<p class="quiet m-0 mt-1 text-small">No other day in this week. Copy this one to make another.</p>{/if}
  {/if}
</section>

<style>
  text {
    fill: var(--ink-2);
    font-size: 13px;
  }
  .small {
    font-size: 12px;
  }
  .strong {
    fill: var(--ink);
    font-weight: 700;
  }
</style>
