<!-- Two groups of flights, chosen; their curves over one another, and which of the differences are more than chance. -->
<script lang="ts">
  import { page as route } from '$app/state';
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { digits } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import { COMPARED, dayAndClock, signed } from './words/book';
  import GroupOf from './components/GroupOf.svelte';
  import LogbookNav from './components/LogbookNav.svelte';
  import Overlay from './components/Overlay.svelte';

  type Group = Schemas['GroupIn'];
  type Quantity = NonNullable<Schemas['CompareIn']['quantity']>;
  type Axis = NonNullable<Schemas['CompareIn']['axis']>;
  let known = $state.raw<Schemas['GroupingsOut'] | null>(null);
  let ours = $state.raw<Group>({});
  let theirs = $state.raw<Group>({});
  let quantity = $state<Quantity>('cell_v');
  let axis = $state<Axis>('percent');
  let compared = $state.raw<Schemas['CompareOut'] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);
  const metric = $derived(session.units === 'metric');
  const CURVES: { value: Quantity; label: string; up: string; scale: (v: number) => number }[] = $derived([
    { value: 'cell_v', label: 'volts of a mean cell', up: 'volts of a mean cell', scale: (v: number) => v },
    { value: 'left_frac', label: 'percent left', up: 'percent left', scale: (v: number) => 100 * v },
    { value: 'current_a', label: 'current', up: 'amperes', scale: (v: number) => v },
    { value: 'pack_c', label: 'pack temperature', up: metric ? '°C' : '°F', scale: (v: number) => (metric ? v : v * 1.8 + 32) },
    { value: 'height_m', label: 'height', up: metric ? 'metres' : 'feet', scale: (v: number) => (metric ? v : v * 3.28084) },
    { value: 'speed_m_s', label: 'ground speed', up: metric ? 'm/s' : 'mph', scale: (v: number) => (metric ? v : v * 2.23694) },
  ]);
  const AXES: { value: Axis; label: string; words: string }[] = [
    { value: 'percent', label: 'Percent used', words: 'percent used' },
    { value: 'time', label: 'Minutes', words: 'minutes from take-off' },
    { value: 'charge', label: 'Ampere hours', words: 'ampere hours drawn' },
    { value: 'warning', label: 'From first warning', words: 'minutes from the first warning' },
    { value: 'landing', label: 'To landing', words: 'minutes to the landing' },
  ];
  void call('GET', '/api/logbook/groupings').then(({ data, problem: bad }) => {
    known = data;
    problem = bad;
    if (!data) return;
    const pack = route.url.searchParams.get('pack');
    ours = { pack_id: pack ?? data.packs[0]?.id };
    theirs = { pack_id: data.packs.find((p) => p.id !== ours.pack_id)?.id ?? data.packs[0]?.id };
  });
  let turn = 0;
  $effect(() => {
    const body = { ours, theirs, quantity, axis };
    if (!known?.flights) return;
    const mine = ++turn;
    busy = true;
    const timer = setTimeout(async () => {
      const { data, problem: bad } = await call('POST', '/api/logbook/compare', { body });
      if (mine !== turn) return;
      busy = false;
      problem = bad;
      if (data) compared = data;
    }, 200);
    return () => clearTimeout(timer);
  });
  const curve = $derived(CURVES.find((c) => c.value === (compared?.quantity ?? quantity))!);
  const along = $derived(AXES.find((a) => a.value === (compared?.axis ?? axis))!);
  const nameOf = (g: Group) =>
    [
      known?.packs.find((p) => p.id === g.pack_id) && `pack ${known.packs.find((p) => p.id === g.pack_id)!.name}`,
      known?.pack_models.find((p) => p.id === g.pack_model_id)?.name,
      known?.aircraft.find((p) => p.id === g.aircraft_id)?.name,
      known?.jobs.find((p) => p.id === g.job_id)?.name,
      g.firmware && `firmware ${g.firmware}`,
      (g.least_air_c ?? g.most_air_c ?? g.least_wind_m_s ?? g.most_wind_m_s ?? g.begins ?? g.ends ?? null) !== null &&
        'within bounds',
    ]
      .filter(Boolean)
      .join(', ') || 'all flights';
  const names: [string, string] = $derived([nameOf(ours), nameOf(theirs)]);
</script>

<div class="px-6 py-5">
  <LogbookNav title="Compare" />
  {#if problem && !['ours', 'theirs'].includes(problem.field)}<p class="problem mb-3" role="alert">{problem.detail}</p>{/if}
  {#if !known}
    {#if !problem}<p class="quiet" role="status">Looking for flights with a log …</p>{/if}
  {:else if !known.flights}
    <div class="rounded border-line border-dashed border-rule bg-sheet px-8 py-12 text-center">
      <h2 class="mb-2 text-title">No flight has a log yet</h2>
      <p>Curves come from the logs of aircraft. <a href="/logbook">Read some in</a>.</p>
    </div>
  {:else}
    <div class="mb-4 grid grid-cols-2 gap-6 max-tablet:grid-cols-1">
      <GroupOf
        title="Group A, solid line"
        mark="var(--tarn)"
        dash=""
        bind:group={ours}
        {known}
        problem={problem?.field === 'ours' ? problem.detail : ''} />
      <GroupOf
        title="Group B, dashed line"
        mark="var(--copper)"
        dash="7 4"
        bind:group={theirs}
        {known}
        problem={problem?.field === 'theirs' ? problem.detail : ''} />
    </div>
    <div class="mb-2 flex flex-wrap items-end gap-4">
      <div class="w-71">
        <Choice label="curve" stacked value={quantity} options={CURVES} onchange={(v) => (quantity = v as Quantity)} />
      </div>
      <div class="flex" role="group" aria-label="Axis">
        {#each AXES as a (a.value)}<button class="button plain" aria-pressed={axis === a.value} onclick={() => (axis = a.value)}
            >{a.label}</button
          >{/each}
      </div>
      {#if busy}<span class="quiet" role="status">laying them over one another …</span>{/if}
    </div>
    {#if compared}
      <div data-testid="overlay"><Overlay {compared} scale={curve.scale} x={along.words} y={curve.up} {names} /></div>
      <p class="quiet mt-1 text-note">
        thin: one flight; strong: the middle of its group; wash: its middle half.
        {#each [compared.ours, compared.theirs] as g, n (n)}{#if g.without}{g.without} of “{names[n]}” do not tell this curve.
          {/if}{/each}
      </p>
      <h2 class="mb-1 mt-5">What differs</h2>
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <div class="overflow-x-auto" tabindex="0" role="region" aria-label="What differs">
        <table class="sheet-table max-w-280 bg-sheet" data-testid="differences">
          <thead
            ><tr
              ><th></th><th class="!text-right">{names[0]}</th><th class="!text-right">{names[1]}</th><th class="!text-right"
                >difference</th
              ><th class="!text-right">nine in ten between</th><th>is it more than chance?</th></tr
            ></thead>
          <tbody>
            {#each compared.table as d (d.figure)}
              {@const c = COMPARED[d.figure]}
              {#if c}
                <tr>
                  <td>{c.label}</td>
                  <td class="text-right">{c.text(d.of, session.units)}</td>
                  <td class="text-right">{c.text(d.against, session.units)}</td>
                  <td class="text-right font-semibold">{signed(c.text(d.difference, session.units))}</td>
                  <td class="text-right">{signed(c.text(d.low, session.units))} … {signed(c.text(d.high, session.units))}</td>
                  <td
                    >{#if d.noise}<span class="quiet">difference not significant</span>{:else}<b>yes</b>{/if}</td>
                </tr>
              {/if}
            {/each}
          </tbody>
        </table>
      </div>
      <p class="quiet mt-1 max-w-251 text-note">
        The middle flight of each group counts. The bounds come from drawing the flights again and again, and are never narrower
        than what flights of one kind differ by anyway, so that three flights that happen to agree prove nothing.
      </p>
      <div class="mt-4 grid grid-cols-2 gap-6 text-small max-tablet:grid-cols-1">
        {#each [compared.ours, compared.theirs] as g, n (n)}
          <details>
            <summary class="cursor-pointer font-semibold"
              >{names[n]}: {digits(g.flights.length)} {g.flights.length === 1 ? 'flight' : 'flights'}</summary>
            <ul class="m-0 list-none p-0">
              {#each g.flights as f (f.id)}<li class="py-0.5">
                  <a href="/logbook/flights/{f.id}">{dayAndClock(f.began_at)}</a>
                  {f.words}
                </li>{/each}
            </ul>
          </details>
        {/each}
      </div>
    {/if}
  {/if}
</div>
