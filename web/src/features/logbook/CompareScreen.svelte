<!-- Up to six groups of flights, chosen; their curves over one another, which differences are more than chance, and what else differs. -->
<script lang="ts">
  import { page as route } from '$app/state';
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { digits } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import { dayAndClock } from './words/book';
  import { groupsBy, imbalanceLines, letterOf, MOST_GROUPS, nameOfGroup, WAYS, type Group, type GroupBy } from './words/groups';
  import Differences from './components/Differences.svelte';
  import GroupOf from './components/GroupOf.svelte';
  import LogbookNav from './components/LogbookNav.svelte';
  import Overlay from './components/Overlay.svelte';

  type Quantity = NonNullable<Schemas['CompareIn']['quantity']>;
  type Axis = NonNullable<Schemas['CompareIn']['axis']>;
  let known = $state.raw<Schemas['GroupingsOut'] | null>(null);
  let groups = $state.raw<{ key: number; of: Group; open: boolean }[]>([]);
  let by = $state<GroupBy | ''>('');
  let quantity = $state<Quantity>('cell_v');
  let axis = $state<Axis>('percent');
  let at = $state(0.3);
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
  const AXES: { value: Axis; label: string; words: string }[] = $derived([
    { value: 'percent', label: 'Percent used', words: 'percent used' },
    { value: 'time', label: 'From take-off', words: 'minutes from take-off' },
    { value: 'charge', label: 'Ampere hours', words: 'ampere hours drawn' },
    { value: 'at_percent', label: 'At a percent', words: `minutes from ${digits(100 * at)} % left` },
    { value: 'warning', label: 'From first warning', words: 'minutes from the first warning' },
    { value: 'landing', label: 'To landing', words: 'minutes to the landing' },
  ]);
  let turns = 0;
  const made = (of: Group, open = false) => ({ key: ++turns, of, open });
  void call('GET', '/api/logbook/groupings').then(({ data, problem: bad }) => {
    known = data;
    problem = bad;
    if (!data) return;
    const pack = data.packs.find((p) => p.id === route.url.searchParams.get('pack')) ?? data.packs[0];
    const other = data.packs.find((p) => p.id !== pack?.id);
    groups = [made(pack ? { pack_id: pack.id } : {}), made(other ? { pack_id: other.id } : {})];
  });
  const ways = $derived(known ? WAYS.filter((w) => w.of(known!).length > 1) : []);
  function choose(way: string) {
    by = way as GroupBy | '';
    if (known && by) groups = groupsBy(known, by).map((g) => made(g));
  }
  const change = (k: number, of: Group) => {
    by = '';
    groups = groups.map((g, n) => (n === k ? { ...g, of } : g));
  };
  const toggle = (k: number) => (groups = groups.map((g, n) => (n === k ? { ...g, open: !g.open } : g)));
  const add = () => (groups = [...groups, made({}, true)]);
  const remove = (k: number) => (groups = groups.filter((_, n) => n !== k));

  let turn = 0;
  $effect(() => {
    const body = { groups: groups.map((g) => g.of), quantity, axis, at_frac: axis === 'at_percent' ? at : undefined };
    if (!known?.flights || body.groups.length < 2) return;
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
  const names = $derived(groups.map((g) => nameOfGroup(known!, g.of)));
  // While an answer is awaited the one before has other groups.
  const fits = $derived(compared !== null && compared.groups.length === groups.length);
  const without = $derived(
    (compared?.groups ?? [])
      .flatMap((g, n) => (g.without ? `${letterOf(n)} ${g.without} of ${g.flights.length}` : []))
      .join(', '),
  );
  const warned = $derived(compared?.groups.some((g) => g.curves.some((c) => c.warned || c.critical)) ?? false);
</script>

<div class="px-6 py-5">
  <LogbookNav title="Compare" />
  {#if problem && !problem.field.startsWith('groups.')}<p class="problem mb-3" role="alert">{problem.detail}</p>{/if}
  {#if !known}
    {#if !problem}<p class="quiet" role="status">Looking for flights with a log …</p>{/if}
  {:else if !known.flights}
    <div class="rounded border-line border-dashed border-rule bg-sheet px-8 py-12 text-center">
      <h2 class="mb-2 text-title">No flight has a log yet</h2>
      <p>Curves come from the logs of aircraft. <a href="/logbook">Import some</a>.</p>
    </div>
  {:else}
    <div class="mb-3 flex flex-wrap items-end gap-3">
      {#if ways.length}
        <div class="w-71">
          <Choice
            label="compare by"
            stacked
            value={by}
            empty="own groups"
            options={ways.map((w) => ({
              value: w.by,
              label: `${w.label}, ${Math.min(MOST_GROUPS, w.of(known!).length)} groups`,
            }))}
            onchange={choose} />
        </div>
      {/if}
      {#if groups.length < MOST_GROUPS}<button class="button" onclick={add}>Add a group</button>{/if}
    </div>
    <div class="mb-4 grid grid-cols-2 gap-x-6 gap-y-3 max-tablet:grid-cols-1">
      {#each groups as g, k (g.key)}
        <GroupOf
          place={k}
          {known}
          group={g.of}
          open={g.open}
          onchange={(of) => change(k, of)}
          ontoggle={() => toggle(k)}
          flights={fits ? compared!.groups[k]!.flights.length : null}
          problem={problem && `${problem.field}.`.startsWith(`groups.${k}.`) ? problem.detail : ''}
          remove={groups.length > 2 ? () => remove(k) : null} />
      {/each}
    </div>
    <div class="mb-2 flex flex-wrap items-end gap-4">
      <div class="w-71">
        <Choice label="curve" stacked value={quantity} options={CURVES} onchange={(v) => (quantity = v as Quantity)} />
      </div>
      <div class="flex flex-wrap" role="group" aria-label="Axis">
        {#each AXES as a (a.value)}<button class="button plain" aria-pressed={axis === a.value} onclick={() => (axis = a.value)}
            >{a.label}</button
          >{/each}
      </div>
      {#if axis === 'at_percent'}
        <div class="w-35">
          <NumberField
            label="percent left"
            stacked
            unit="%"
            scale={100}
            value={at}
            problem={problem?.field === 'at_frac' ? problem.detail : ''}
            onchange={(v) => (at = v ?? at)} />
        </div>
      {/if}
      {#if busy}<span class="quiet" role="status">comparing …</span>{/if}
    </div>
    {#if compared && fits}
      <div data-testid="overlay"><Overlay {compared} scale={curve.scale} x={along.words} y={curve.up} {names} /></div>
      <p class="quiet mt-1 text-note">
        {names.length > 2
          ? 'Each line: the middle of its group.'
          : 'Thin: one flight; strong: the middle of its group; wash: its middle half.'}
        {#if warned}Open triangle: first warning; filled: critical.{/if}
        {#if without}{axis === 'warning' ? 'Flights without a warning' : 'Flights that do not tell this curve'}: {without}.{/if}
      </p>
      {#if compared.imbalances.length}
        <ul class="m-0 mt-3 max-w-251 list-none border-l-3 border-copper p-0 pl-3 text-small" data-testid="imbalances">
          {#each imbalanceLines(compared.imbalances, session.units) as line (line)}<li class="py-0.5">{line}</li>{/each}
        </ul>
      {/if}
      <h2 class="mb-1 mt-5">What differs</h2>
      <Differences {compared} {names} />
      <div class="mt-4 grid grid-cols-2 gap-6 text-small max-tablet:grid-cols-1">
        {#each compared.groups as g, n (n)}
          <details>
            <summary class="cursor-pointer font-semibold"
              >{letterOf(n)}, {names[n]}: {digits(g.flights.length)} {g.flights.length === 1 ? 'flight' : 'flights'}</summary>
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
