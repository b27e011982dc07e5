<script lang="ts">
  import { beforeNavigate, goto } from '$app/navigation';
  import { DropdownMenu } from 'bits-ui';
  import { call } from '$shared/api/call';
  import { download } from '$shared/api/download';
  import { type Schemas } from '$shared/api/client';
  import { LEAVE_WORDS } from '$shared/device/drafts';
  import { dayAndClock, show } from '$shared/format/units';
  import { KIND_WORDS } from '$shared/format/words';
  import { session } from '$shared/session.svelte';
  import { help } from '$shared/ui/help.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import Why from '$shared/working/Why.svelte';
  import Directions from './components/Directions.svelte';
  import FlownPanel from './flown/FlownPanel.svelte';
  import FlownTime from './flown/FlownTime.svelte';
  import { Flown } from './flown/flown.svelte';
  import { JobDraft } from './state/draft.svelte';
  import { Folds } from './state/folds.svelte';
  import JobMapView from './map/JobMapView.svelte';
  import JobPanel from './components/JobPanel.svelte';
  import PutIntoDay from './components/PutIntoDay.svelte';
  import Profile from './components/Profile.svelte';
  import Ribbon from './components/Ribbon.svelte';
  import SpeedCurve from './components/SpeedCurve.svelte';
  import Tank from './components/Tank.svelte';
  import StaleDialog from './components/StaleDialog.svelte';

  let { id, asFlown = false, flownDay = '' }: { id: string; asFlown?: boolean; flownDay?: string } = $props();
  const draft = new JobDraft();
  let fleet = $state.raw<Schemas['FleetOut'] | null>(null);
  let putting = $state(false);
  let alone = $state(false);
  // Known before the first view is laid: what lies under the title and the tools cannot be seen.
  let titleWidth = $state(0);
  let titleHeight = $state(0);
  const folds = new Folds();
  // svelte-ignore state_referenced_locally
  const flown = new Flown(id);
  // svelte-ignore state_referenced_locally
  flown.day = flownDay;
  // svelte-ignore state_referenced_locally
  flown.show(asFlown);
  $effect(() => {
    void draft.load(id);
    return () => draft.leave();
  });
  beforeNavigate((going) => {
    if (draft.unsaved && (going.willUnload || !confirm(LEAVE_WORDS))) going.cancel();
  });
  void call('GET', '/api/fleet').then(({ data }) => (fleet = data));

  const job = $derived(draft.job);
  const plan = $derived(draft.plan);
  const model = $derived(fleet?.aircraft_models.find((m) => m.id === job?.aircraft_model_id) ?? null);
  const writable = $derived(session.may('jobs:write') && !!job && !job.archived);
  const STATE = {
    loading: 'loading …',
    saved: 'saved',
    waiting: 'planning …',
    working: 'planning …',
    refused: 'not saved',
    unsent: 'not sent yet, kept on this device; sent again by itself',
    missing: '',
  };
  $effect(() =>
    help.offer('job', [
      {
        id: 'next-sortie',
        label: 'Next sortie',
        keys: 'ArrowRight / .',
        run: () => (draft.selected = Math.min(plan?.sorties.length ?? 1, draft.selected + 1)),
      },
      {
        id: 'last-sortie',
        label: 'Sortie before',
        keys: 'ArrowLeft / ,',
        run: () => (draft.selected = Math.max(1, draft.selected - 1)),
      },
      { id: 'flown', label: 'As flown, and back', keys: 'W', run: () => flown.show(!flown.on) },
      { id: 'put', label: 'Put this job into a day', keys: 'D', run: () => (putting = true) },
      { id: 'print', label: 'Print this job', keys: 'P', run: () => window.print() },
      { id: 'geojson', label: 'Save as GeoJSON', run: () => save('geojson') },
      { id: 'kml', label: 'Save as KML', run: () => save('kml') },
      { id: 'gpx', label: 'Save as GPX', run: () => save('gpx') },
      { id: 'csv', label: 'Save waypoints as CSV', run: () => save('csv') },
      { id: 'below', label: 'Fold the curves below', keys: 'B', run: () => folds.turn('below') },
      { id: 'side', label: 'Fold the figures beside', keys: 'S', run: () => folds.turn('side') },
      { id: 'gate', label: 'Weather for this job', keys: 'G', run: () => goto(`/limits?job=${id}`) },
    ]),
  );
  const CURVES = [
    { id: 'energy', words: 'Energy and direction' },
    { id: 'height', words: 'Height and airspeed' },
    { id: 'tank', words: 'Tank and flow' },
  ] as const;
  const curves = $derived(CURVES.filter((c) => c.id !== 'tank' || job?.kind === 'spraying'));
  // Curves that this kind of work does not have give way to the first.
  const drawn = $derived(curves.some((c) => c.id === folds.curves) ? folds.curves : 'energy');
  async function save(form: 'geojson' | 'kml' | 'gpx' | 'csv', sortie?: number) {
    const failed = await download(`/api/jobs/${id}/export.${form}${sortie ? `?sortie=${sortie}` : ''}`);
    if (failed) notices.say(failed, { bad: true });
  }
  async function saveDose() {
    const failed = await download(`/api/jobs/${id}/dose.geojson`);
    if (failed) notices.say(failed, { bad: true });
  }
  async function saveFlown(form: 'geojson' | 'tif') {
    const failed = await download(`/api/jobs/${id}/as-flown.${form}${flown.day ? `?day_id=${flown.day}` : ''}`);
    if (failed) notices.say(failed, { bad: true });
  }
</script>

<svelte:head><title>{job?.name ?? 'Job'} · Gentle Quarry</title></svelte:head>

{#if draft.state === 'missing'}
  <div class="p-10">
    <h1 class="mb-2">This job is not here</h1>
    <p class="mb-4">{draft.refused?.detail}</p>
    <a class="button" href="/jobs">All jobs</a>
  </div>
{:else if !job}
  <p class="quiet p-6" role="status">Unrolling the sheet …</p>
{:else}
  <div class="job" class:wide={folds.folded('side')} class:alone>
    <div class="flex min-h-0 min-w-0 flex-col">
      <div class="map relative flex-1">
        <JobMapView {draft} {flown} bind:alone title={{ width: titleWidth, height: titleHeight }} />
        <div
          class="head absolute left-0 top-0 bg-sheet/95 py-3 pl-6 pr-5"
          bind:clientWidth={titleWidth}
          bind:clientHeight={titleHeight}>
          <input
            class="sharp title"
            aria-label="Name of the job"
            value={job.name}
            disabled={!writable}
            onchange={(e) => e.currentTarget.value.trim() && draft.change({ name: e.currentTarget.value.trim() })} />
          <div class="quiet mt-0.5">
            {KIND_WORDS[job.kind]}{#if plan}, <Why
                text={show(plan.area_ha, 'ha', session.units)}
                name="area"
                of="jobs"
                id={job.id}
                key="area_ha" />{/if}{job.archived ? ', archived' : ''}
            <span class="ml-2" role="status" data-testid="save-state" class:problem={draft.unsaved}>{STATE[draft.state]}</span>
            {#if draft.unsaved}<button class="underline" onclick={() => draft.save()}>try again</button>{/if}
          </div>
          {#if draft.found && draft.state !== 'loading'}<p class="mt-1 text-small" role="status">
              Changes of {dayAndClock(draft.found)} were kept on this device and taken up again.
            </p>{/if}
          {#if draft.refused && draft.refused.code !== 'stale' && draft.unsaved}<p class="problem mt-1 text-small" role="alert">
              {draft.refused.detail}
            </p>{/if}
        </div>
      </div>
      {#if flown.on && flown.view && !alone}
        <FlownTime {flown} />
      {:else if !flown.on && plan && draft.sortie && !alone}
        <div class="flex flex-wrap items-center gap-1 bg-paper px-4 pt-1" role="toolbar" aria-label="Curves of the sortie">
          {#each curves as c (c.id)}
            <button
              class="button plain small curve"
              aria-pressed={!folds.folded('below') && drawn === c.id}
              onclick={() => folds.show(c.id)}>{c.words}</button>
          {/each}
          <button
            class="button plain small ml-auto"
            aria-expanded={!folds.folded('below')}
            title="Fold the curves below (B)"
            onclick={() => folds.turn('below')}>{folds.folded('below') ? 'Show curves' : 'Fold'}</button>
          <button
            class="button plain small max-tablet:hidden"
            aria-expanded={!folds.folded('side')}
            title="Fold the figures beside (S)"
            onclick={() => folds.turn('side')}>{folds.folded('side') ? 'Show figures' : 'Fold figures'}</button>
        </div>
        {#if !folds.folded('below')}
          <div class="under bg-paper pb-3" data-curves={drawn}>
            <div class="min-w-0">
              <div class="energy"><Ribbon {plan} sortie={draft.sortie} letter={job.letter} assumed={job.wind.assumed} /></div>
              <div class="height"><Profile {plan} sortie={draft.sortie} /></div>
              {#if job.kind === 'spraying'}<div class="tank"><Tank {plan} sortie={draft.sortie} letter={job.letter} /></div>{/if}
            </div>
            <div>
              <div class="energy"><Directions {draft} {plan} {writable} /></div>
              <div class="height">
                <SpeedCurve {plan} cruise={model?.cruise_m_s ?? null} work={Number(job.work.speed_m_s ?? 0)} />
              </div>
            </div>
          </div>
        {/if}
      {/if}
    </div>
    <aside hidden={folds.folded('side') || alone} class="panel flex min-h-0 flex-col bg-sheet" aria-label="Figures and sorties">
      <div class="no-print flex gap-2 border-b border-rule px-5 pt-3" role="tablist" aria-label="What the map shows">
        <button class="tab" role="tab" aria-selected={!flown.on} onclick={() => flown.show(false)}>As planned</button>
        <button
          class="tab"
          role="tab"
          aria-selected={flown.on}
          title="What was truly covered (W)"
          onclick={() => flown.show(true)}>As flown</button>
      </div>
      <div class="min-h-0 flex-1 overflow-y-auto px-5 pb-3 pt-4">
        {#if flown.on}<FlownPanel {flown} {job} onlook={(place) => (draft.lookAt = place)} />{:else}<JobPanel
            {draft}
            {fleet}
            {writable} />{/if}
        <p class="quiet mt-3 text-note">
          An aid to planning. The pilot in command, the maker's manual and local law take precedence.
        </p>
      </div>
      <div class="no-print flex gap-2 border-t border-rule px-5 py-3">
        <button class="button dark flex-1" disabled={!plan} onclick={() => (putting = true)}>Schedule</button>
        <DropdownMenu.Root>
          <DropdownMenu.Trigger class="button" disabled={!job.areas.length}>Export routes</DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content class="menu" align="end" sideOffset={6}>
              {#if flown.view}
                <DropdownMenu.Item class="menu-item" onSelect={() => saveFlown('geojson')}>As flown as GeoJSON</DropdownMenu.Item>
                <DropdownMenu.Item class="menu-item" onSelect={() => saveFlown('tif')}>As flown as GeoTIFF</DropdownMenu.Item>
              {/if}
              <DropdownMenu.Item class="menu-item" onSelect={() => save('geojson')}>All as GeoJSON</DropdownMenu.Item>
              <DropdownMenu.Item class="menu-item" onSelect={() => save('kml')}>All as KML</DropdownMenu.Item>
              <DropdownMenu.Item class="menu-item" onSelect={() => save('gpx')}>All as GPX</DropdownMenu.Item>
              <DropdownMenu.Item class="menu-item" onSelect={() => save('csv')}>All waypoints as CSV</DropdownMenu.Item>
              {#if job.kind === 'spraying'}
                <DropdownMenu.Item class="menu-item" onSelect={saveDose}>Dose map as GeoJSON</DropdownMenu.Item>
                <DropdownMenu.Item class="menu-item" onSelect={() => goto(`/jobs/${id}/mix`)}>Mix sheet</DropdownMenu.Item>
              {/if}
              {#if draft.sortie}
                <DropdownMenu.Item class="menu-item" onSelect={() => save('geojson', draft.selected)}
                  >{job.letter}{draft.selected} as GeoJSON</DropdownMenu.Item>
                <DropdownMenu.Item class="menu-item" onSelect={() => save('kml', draft.selected)}
                  >{job.letter}{draft.selected} as KML</DropdownMenu.Item>
                <DropdownMenu.Item class="menu-item" onSelect={() => save('gpx', draft.selected)}
                  >{job.letter}{draft.selected} as GPX</DropdownMenu.Item>
                <DropdownMenu.Item class="menu-item" onSelect={() => save('csv', draft.selected)}
                  >{job.letter}{draft.selected} as CSV</DropdownMenu.Item>
              {/if}
              <DropdownMenu.Item class="menu-item" onSelect={() => window.print()}>Print</DropdownMenu.Item>
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      </div>
    </aside>
  </div>
  <StaleDialog {draft} />
  <PutIntoDay {job} bind:open={putting} />
{/if}

<style>
  .title {
    width: 100%;
    min-width: 220px;
    padding: 0;
    border: 0;
    border-bottom: 2px solid transparent;
    background: none;
    color: var(--ink);
    font-family: inherit;
    font-size: 27px;
    font-weight: 650;
    field-sizing: content;
  }
  .head {
    max-width: 46%;
  }
  .title:hover:not(:disabled),
  .title:focus {
    border-bottom-color: var(--rule);
  }
  .job {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 336px;
    min-height: calc(100dvh - 68px);
  }
  /* The map is the largest thing here: six tenths of the window at least. */
  .map {
    min-height: 60dvh;
  }
  .under {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 316px;
  }
  .panel[hidden] {
    display: none;
  }
  .job.wide,
  .job.alone {
    grid-template-columns: minmax(0, 1fr);
  }
  .job.alone {
    position: fixed;
    z-index: 30;
    inset: 0;
    background: var(--paper);
  }
  .tab {
    flex: 1;
    min-height: var(--target);
    padding: 4px 8px;
    border: 0;
    border-bottom: 3px solid transparent;
    background: none;
    color: var(--ink-2);
    font-weight: 500;
  }
  .tab[aria-selected='true'] {
    border-bottom-color: var(--ink);
    color: var(--ink);
    font-weight: 650;
  }
  .curve[aria-pressed='true'] {
    border-color: var(--ink);
    background: var(--sheet);
    color: var(--ink);
  }
  @media (min-width: 901px) {
    .job {
      height: calc(100dvh - 68px);
    }
    .job.alone {
      height: auto;
    }
  }
  /* Where there is height for both, both are shown. */
  @media (min-width: 901px) and (max-height: 1000px) {
    .under[data-curves='energy'] .height,
    .under[data-curves='height'] .energy,
    .under[data-curves='tank'] > :first-child .energy,
    .under[data-curves='tank'] .height,
    .under:not([data-curves='tank']) .tank {
      display: none;
    }
  }
  @media (max-width: 900px), (min-height: 1001px) {
    .curve {
      display: none;
    }
  }
  @media (max-width: 900px) {
    .job,
    .under {
      grid-template-columns: minmax(0, 1fr);
    }
  }
  @media (max-width: 640px) {
    .head {
      max-width: calc(100% - 140px);
      padding-left: 12px;
    }
    .title {
      min-width: 0;
      max-width: 100%;
      font-size: 19px;
    }
  }
  @media print {
    .job {
      display: block;
      height: auto;
    }
  }
</style>
