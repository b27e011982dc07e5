<script lang="ts">
  import Learnt from '$shared/ui/Learnt.svelte';
  import { call } from '$shared/api/call';
  import type { Schemas } from '$shared/api/client';
  import { figureLabel, figureText } from '$shared/format/words';
  import { show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import Why from '$shared/working/Why.svelte';
  import type { JobDraft } from '../state/draft.svelte';
  import AirSection from './AirSection.svelte';
  import Areas from './Areas.svelte';
  import Corners from './Corners.svelte';
  import ImportResult from './ImportResult.svelte';
  import OverRelief from './OverRelief.svelte';
  import Mix from './Mix.svelte';
  import Nozzle from './Nozzle.svelte';
  import Passes from './Passes.svelte';
  import Pattern from './Pattern.svelte';
  import Sensitive from './Sensitive.svelte';
  import Site from './Site.svelte';
  import PlanChecks from './PlanChecks.svelte';
  import SortieList from './SortieList.svelte';
  import SunHours from './SunHours.svelte';

  let { draft, fleet, writable }: { draft: JobDraft; fleet: Schemas['FleetOut'] | null; writable: boolean } = $props();
  const job = $derived(draft.job!);
  const plan = $derived(draft.plan);
  const off = $derived(!writable);
  const holdsAir = $derived(fleet?.aircraft_models.find((m) => m.id === job.aircraft_model_id)?.holds === 'air');
  const HEADS = {
    mapping: 'Camera and overlap',
    spraying: 'Application',
    search: 'Search settings',
  };

  const SECTIONS = [
    ['aircraft', 'Aircraft, wind'],
    ['lines', 'Lines, breaks'],
    ['corners', 'Areas, places'],
    ['mix', 'Crop and mix'],
  ] as const;
  const sections = $derived(SECTIONS.filter(([key]) => key !== 'mix' || job.kind === 'spraying'));
  type Section = (typeof SECTIONS)[number][0] | '';
  let picked = $state<Section | null>(null);
  // Until a person opens or shuts a section, the one with a problem stands open.
  const section = $derived.by((): Section => {
    if (picked !== null) return picked;
    if (draft.problemAt('lines.passes', 'site.structures')) return 'lines';
    if (draft.problemAt('site.sensitive')) return 'corners';
    if (draft.problemAt('mix')) return 'mix';
    if (draft.problemAt('wind', 'aircraft_model_id', 'sorties', 'reserve', 'pack')) return 'aircraft';
    return draft.problemAt('home', 'areas') && job.areas.length ? 'corners' : '';
  });

  // Pairs that are read together share a row.
  const PAIRS: Record<string, string> = {
    interval_s: 'trigger_m',
    on_line_m: 'lines_count',
    space_gb: 'pictures_count',
    loads_count: 'volume_l',
    pressure_bar: 'flow_l_min',
  };
  const rows = $derived.by(() => {
    const found: NonNullable<typeof plan>['figures'][] = [];
    for (const f of plan?.figures ?? []) {
      const host = found.find((r) => r[0]!.key === PAIRS[f.key]);
      if (host) host.push(f);
      else found.push([f]);
    }
    return found;
  });

  let tested = $state.raw<Schemas['SwathTestOut'] | null>(null);
  $effect(() => {
    const aircraft_id = job.kind === 'spraying' ? job.aircraft_id : null;
    if (!aircraft_id) {
      tested = null;
      return;
    }
    void call('GET', '/api/swath-tests', { params: { query: { aircraft_id } } }).then(({ data }) => (tested = data?.[0] ?? null));
  });
  const work = (key: string) => Number(job.work[key] ?? 0);
  const setWork = (key: string) => (v: number) => draft.change({ work: { ...job.work, [key]: v } });
  const at = (key: string) => draft.problemAt(`work.${key}`, key);
</script>

<ImportResult {draft} />
<div class="flex flex-col gap-1 max-tablet:grid max-tablet:grid-cols-2 max-tablet:gap-x-10">
  <h2 class="col-span-full mb-1">{HEADS[job.kind]}</h2>
  {#if job.kind === 'mapping'}
    <Choice
      label="Camera"
      value={job.camera_id}
      empty="choose"
      disabled={off}
      options={(fleet?.cameras ?? []).map((c) => ({ value: c.id, label: c.name }))}
      onchange={(v) => draft.change({ camera_id: v || null })}
      problem={draft.problemAt('camera_id')} />
    <NumberField
      label="Above ground"
      quantity="m"
      value={work('height_m')}
      onchange={setWork('height_m')}
      problem={at('height_m')}
      disabled={off} />
    <NumberField
      label="Overlap, side"
      unit="%"
      scale={100}
      value={work('side_overlap_frac')}
      onchange={setWork('side_overlap_frac')}
      problem={at('side_overlap_frac')}
      disabled={off} />
    <NumberField
      label="Overlap, ahead"
      unit="%"
      scale={100}
      value={work('forward_overlap_frac')}
      onchange={setWork('forward_overlap_frac')}
      problem={at('forward_overlap_frac')}
      disabled={off} />
  {:else if job.kind === 'spraying'}
    <NumberField
      label="Rate"
      quantity="l_ha"
      digits={2}
      value={work('rate_l_ha')}
      onchange={setWork('rate_l_ha')}
      problem={at('rate_l_ha')}
      disabled={off} />
    <NumberField
      label="Swath"
      quantity="m"
      value={work('swath_m')}
      onchange={setWork('swath_m')}
      problem={at('swath_m')}
      disabled={off} />
    {#if tested && Math.abs(tested.spacing_m - work('swath_m')) > 0.05}<p class="quiet m-0 text-small" data-testid="swath-tested">
        Tested with {tested.aircraft}, {tested.way}{tested.nozzle ? `, ${tested.nozzle}` : ''}: {show(
          tested.spacing_m,
          'm',
          session.units,
          1,
        )}.
        <button class="underline" disabled={off} onclick={() => setWork('swath_m')(tested!.spacing_m)}>Take it</button>
      </p>{/if}
    <NumberField
      label="Tank"
      quantity="l"
      value={work('tank_l')}
      onchange={setWork('tank_l')}
      problem={at('tank_l')}
      disabled={off} />
    <NumberField
      label="Above the crop"
      quantity="m"
      value={work('height_m')}
      onchange={setWork('height_m')}
      problem={at('height_m')}
      disabled={off} />
    <Nozzle {draft} {fleet} {writable} />
  {:else}
    <NumberField
      label="Sweep width"
      quantity="m"
      value={work('sweep_width_m')}
      onchange={setWork('sweep_width_m')}
      problem={at('sweep_width_m')}
      disabled={off} />
    <NumberField
      label="Coverage"
      digits={2}
      value={work('coverage')}
      onchange={setWork('coverage')}
      problem={at('coverage')}
      disabled={off} />
    <Choice
      label="Detection model"
      value={String(job.work.law ?? 'random')}
      disabled={off}
      options={[
        { value: 'random', label: 'random, cautious' },
        { value: 'inverse_cube', label: 'inverse cube' },
        { value: 'definite', label: 'definite range' },
      ]}
      onchange={(v) => draft.change({ work: { ...job.work, law: v } })} />
    <Pattern {draft} {writable} />
    <NumberField
      label="Above ground"
      quantity="m"
      value={work('height_m')}
      onchange={setWork('height_m')}
      problem={at('height_m')}
      disabled={off} />
  {/if}
  <NumberField
    label={holdsAir ? 'Airspeed on lines' : 'Ground speed on lines'}
    quantity="m_s"
    value={work('speed_m_s')}
    onchange={setWork('speed_m_s')}
    problem={at('speed_m_s')}
    disabled={off} />

  <div
    class="no-print col-span-full mt-2 grid {sections.length > 3
      ? 'grid-cols-2'
      : 'grid-cols-3'} gap-1.5 border-t border-rule pt-2">
    {#each sections as [key, word] (key)}
      <button
        class="button !px-1 text-small"
        aria-expanded={section === key}
        aria-pressed={section === key}
        onclick={() => (picked = section === key ? '' : key)}>{word}</button>
    {/each}
  </div>
  {#if section === 'aircraft'}
    <AirSection {draft} {fleet} {writable} />
  {:else if section === 'lines'}
    <div class="col-span-full flex flex-col gap-2 pt-1">
      <Choice
        label="Lines end"
        value={job.lines.ends}
        disabled={off}
        options={[
          { value: 'cover', label: 'where all is covered' },
          { value: 'clip', label: 'at the boundary' },
        ]}
        onchange={(v) => draft.change({ lines: { ...job.lines, ends: v as 'cover' } })} />
      <Choice
        label="Change packs"
        value={job.sorties.breaks}
        disabled={off}
        options={[
          { value: 'anywhere', label: 'anywhere on a line' },
          { value: 'line_ends', label: 'at line ends' },
        ]}
        onchange={(v) => draft.change({ sorties: { ...job.sorties, breaks: v as 'anywhere' } })} />
      <NumberField
        label="Overlap on resuming"
        quantity="m"
        value={job.sorties.overlap_m}
        disabled={off}
        onchange={(v) => draft.change({ sorties: { ...job.sorties, overlap_m: v } })}
        problem={draft.problemAt('sorties.overlap_m')} />
      <Choice
        label="Cut sorties for"
        value={job.sorties.cut_for}
        disabled={off}
        options={[
          { value: 'each', label: 'each pack in turn' },
          { value: 'weakest', label: 'the weakest pack' },
        ]}
        onchange={(v) => draft.change({ sorties: { ...job.sorties, cut_for: v as 'each' } })} />
      <NumberField
        label="Height off by at most"
        quantity="m"
        value={work('tolerance_m')}
        onchange={setWork('tolerance_m')}
        problem={at('tolerance_m')}
        disabled={off} />
      <NumberField
        label="Return height"
        hint={job.sorties.return_m === null && plan ? 'proposed' : ''}
        quantity="m"
        digits={0}
        value={job.sorties.return_m ?? plan?.return_m ?? null}
        disabled={off}
        onchange={(v) => draft.change({ sorties: { ...job.sorties, return_m: v } })}
        problem={draft.problemAt('sorties.return_m')} />
      <NumberField
        label="Clear of ground by"
        quantity="m"
        digits={0}
        value={job.sorties.clearance_m}
        disabled={off}
        onchange={(v) => draft.change({ sorties: { ...job.sorties, clearance_m: v } })}
        problem={draft.problemAt('sorties.clearance_m')} />
      {#if plan}<p class="quiet m-0 text-small">
          Needs <Why
            text={show(plan.return_needed_m, 'm', session.units)}
            name="return height"
            of="jobs"
            id={job.id}
            key="return_m" /> above home: {plan.return_decides} decides.
          {#if job.sorties.return_m !== null}<button
              class="underline"
              disabled={off}
              onclick={() => draft.change({ sorties: { ...job.sorties, return_m: null } })}>take the proposal</button
            >{/if}
        </p>{/if}
      {#if job.kind === 'mapping'}<Passes {draft} {writable} />{/if}
    </div>
  {:else if section === 'mix' && job.kind === 'spraying'}
    <div class="col-span-full"><Mix {draft} {fleet} {writable} /></div>
  {:else if section === 'corners'}
    {#if job.kind === 'spraying'}<Sensitive {draft} {writable} />{/if}
    <Areas {draft} {writable} />
    <Corners {draft} {writable} />
    <Site {draft} {writable} />
  {/if}
</div>

{#if plan}
  <PlanChecks checks={plan.checks} jobId={job.id} />
  <Learnt learnt={plan?.learnt} />
  <dl class="border-t border-rule pt-1.5" data-testid="figures">
    {#each rows as row (row[0]!.key)}
      <div class="flex items-baseline justify-between py-0.5">
        <dt class="quiet">{row.map((f) => figureLabel(f.key)).join(', ')}</dt>
        <dd>
          {#each row as f, k (f.key)}{k ? ', ' : ''}<Why
              text={figureText(f.key, f.value, session.units)}
              name={figureLabel(f.key).toLowerCase()}
              of="jobs"
              id={job.id}
              key={f.key} />{/each}
        </dd>
      </div>
    {/each}
  </dl>
  {#if job.kind === 'mapping'}<SunHours {draft} />{/if}
  {#if job.kind === 'mapping' && plan.terrain}<OverRelief {draft} {writable} />{/if}
  <SortieList {draft} {plan} />
{:else if draft.planProblem}
  <div class="mt-4 rounded border-2 border-madder bg-wash-madder p-3" role="alert" data-testid="plan-problem">
    <b>No sorties yet.</b>
    {draft.planProblem.detail}
  </div>
{/if}
{#if draft.homeHeight !== null}<p class="quiet mt-2 text-small">
    Home lies at {show(draft.homeHeight, 'm', session.units)}.
  </p>{/if}
