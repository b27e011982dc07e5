<script lang="ts">
  import 'ol/ol.css';
  import { untrack } from 'svelte';
  import type { Attachment } from 'svelte/attachments';
  import { call } from '$shared/api/call';
  import { type Schemas } from '$shared/api/client';
  import { show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import { help } from '$shared/ui/help.svelte';
  import type { Flown } from '../flown/flown.svelte';
  import { sensitiveOf, siteOf, structureOf, type JobDraft } from '../state/draft.svelte';
  import FromFile from '../components/FromFile.svelte';
  import Coordinates from './Coordinates.svelte';
  import KeepOuts from './KeepOuts.svelte';
  import LayersPanel from './LayersPanel.svelte';
  import MapTools, { type ToolButton } from './MapTools.svelte';
  import ScaleBar from './ScaleBar.svelte';
  import WindRose from './WindRose.svelte';
  import { JobMap, type Tool } from './job-map';
  import { MapFiles } from './files.svelte';
  import { Layers } from './layers.svelte';
  import { inWords, type Drawn } from './measure';

  interface Props {
    draft: JobDraft;
    flown: Flown;
    /** The map fills the window. */
    alone?: boolean;
    /** How large the title over its corner is. */
    title?: { width: number; height: number };
  }
  let { draft, flown, alone = $bindable(false), title = { width: 0, height: 0 } }: Props = $props();
  const layers = new Layers();
  void layers.load();
  let panel = $state<'' | 'layers' | 'coordinates'>('');
  let drawn = $state.raw<Drawn | null>(null);
  let foot = $state(0);
  let perPx = $state(1);
  let map: JobMap | null = $state.raw(null);
  let tool = $state<Tool>('move');
  let pointer = $state.raw<[number, number] | null>(null);
  let terrain = $state.raw<{ line: Schemas['TerrainLine']; sheet: Schemas['TerrainOut'] } | null>(null);
  let terrainState = $state<'loading' | 'known' | 'outside' | 'none'>('loading');
  const job = $derived(draft.job!);
  const writable = $derived(session.may('jobs:write') && !job.archived);
  // svelte-ignore state_referenced_locally
  const files = new MapFiles({
    draft,
    layers,
    writable: () => writable,
    findTerrain: () => findTerrain(),
    fit: () => map?.fit(job, null),
    bring: (bounds) => map?.bring(bounds),
  });
  const selected = $derived(flown.on ? 0 : draft.selected);
  const stale = $derived(draft.state === 'waiting' || draft.state === 'working');

  const mount: Attachment<HTMLElement> = (node) => {
    const m = new JobMap(node, {
      areas: (rings) => draft.change({ areas: job.areas.map((a, n) => ({ ...a, ring: rings[n] ?? a.ring })) }),
      addArea: (ring, corridor) => {
        const plain = { name: '', left_out: false, bearing_deg: null };
        draft.change({ areas: [...job.areas, { ...plain, ring, corridor_m: corridor ? 30 : null }] });
        draft.area = job.areas.length - 1;
        take('move');
        if (corridor) notices.say('Corridor 30 m wide: set its width under Areas, places.', { undo: () => draft.undo() });
        else if (job.areas.length > 1) notices.say(`Area ${job.areas.length} added`, { undo: () => draft.undo() });
      },
      pickArea: (n) => (draft.area = n),
      stopped: (place) => {
        draft.stoppedAt = place;
        draft.asking = false;
      },
      keepOuts: (rings) => draft.change({ keep_outs: job.keep_outs.map((k, n) => ({ ...k, ring: rings[n] ?? k.ring })) }),
      addKeepOut: (ring) => {
        draft.change({ keep_outs: [...job.keep_outs, { ring, crossing: 'never', margin_m: 5, name: '' }] });
        take('move');
      },
      addStructure: (ring) => {
        const site = siteOf(job);
        draft.change({ site: { ...site, structures: [...site.structures, structureOf(ring)] } });
        draft.outlining = '';
        take('move');
      },
      addSensitive: (ring, closed) => {
        const site = siteOf(job);
        draft.change({ site: { ...site, sensitive: [...site.sensitive, sensitiveOf(ring, closed)] } });
        draft.outlining = '';
        take('move');
      },
      home: (home) => {
        draft.change({ home });
        if (tool === 'home') take('move');
      },
      pick: (n) => (draft.selected = n),
      pickGap: (n) => flown.on && (flown.looked = n),
      pointer: (p) => (pointer = p),
      drawing: (d) => (drawn = d),
    });
    const scale = () => (perPx = m.resolution());
    m.map.getView().on(['change:resolution', 'change:center'], scale);
    m.map.once('postrender', () => {
      m.fit(job, null, false);
      scale();
    });
    map = m;
    return () => {
      m.destroy();
      map = null;
    };
  };

  const OUTLINES = ['structure', 'sensitive-line', 'sensitive-outline'] as const;
  function take(next: Tool) {
    tool = next;
    draft.outlining = OUTLINES.find((o) => o === next) ?? '';
    drawn = null;
    map?.use(next);
    map?.show(job, draft.plan, selected, stale);
  }

  async function findTerrain() {
    const { data } = await call('GET', '/api/terrains');
    const place = job.areas[0]?.ring[0] ?? job.home;
    const found = data?.find(
      (t) => !place || (place[0] >= t.bounds[0] && place[0] <= t.bounds[2] && place[1] >= t.bounds[1] && place[1] <= t.bounds[3]),
    );
    if (!found) {
      terrain = null;
      terrainState = data?.length ? 'outside' : 'none';
      map?.showTerrain(null);
      return;
    }
    if (terrain?.line.id === found.id) return;
    const { data: sheet } = await call('GET', '/api/terrains/{terrain_id}', {
      params: { path: { terrain_id: found.id }, query: { drawing: found.drawing } },
    });
    if (!sheet) return;
    terrain = { line: found, sheet };
    terrainState = 'known';
    map?.showTerrain(sheet);
    if (!place) map?.fit(job, found.bounds, false);
  }

  const where = $derived((job.areas[0]?.ring[0] ?? job.home)?.map((v) => v.toFixed(1)).join());
  $effect(() => {
    if (draft.lookAt) {
      map?.look(draft.lookAt);
      draft.lookAt = null;
    }
  });
  $effect(() => {
    const asked = draft.asking;
    if (map && asked !== (untrack(() => tool) === 'stopped')) take(asked ? 'stopped' : 'move');
  });
  $effect(() => {
    const wanted = draft.outlining;
    const now = untrack(() => tool);
    if (map && wanted !== (OUTLINES.find((o) => o === now) ?? '')) take(wanted || 'move');
  });
  $effect(() => {
    if (!map) return;
    void where;
    void findTerrain();
  });
  $effect(() => {
    if (!map) return;
    map.writable = writable && !flown.on;
    map.show(job, draft.plan, selected, stale);
  });
  $effect(() => {
    map?.showPictures(layers.shown);
    untrack(() => map?.show(job, draft.plan, selected, stale));
  });
  $effect(() => map?.showShort(flown.on ? null : draft.short, flown.on ? [] : (draft.plan?.kept ?? []).flatMap((k) => k.ground)));
  $effect(() => {
    const view = flown.on ? flown.view : null;
    const shown = view && { view, until: flown.moment, chosen: flown.chosen, looked: flown.looked };
    void draft.plan;
    map?.showFlown(shown);
  });
  $effect(() => map?.showRelief(layers.on('shade'), layers.on('contours')));
  $effect(() => {
    if (!map) return;
    map.room.bottom = foot + 30;
    map.title = title;
  });
  let light = '';
  $effect(() => {
    const now = session.me?.light ?? 'day';
    if (map && light && now !== light) setTimeout(() => map?.relight(job, draft.plan, selected, stale), 0);
    light = now;
  });

  let sheet: HTMLCanvasElement | undefined = $state();
  let input: HTMLInputElement | undefined = $state();
  const FILES =
    'Boundary: GeoJSON, KML, KMZ, GPX, zipped shapefile, GeoPackage, corners as CSV, WKT. Ground: GeoTIFF, MBTiles, PMTiles, ASCII grid (I)';
  $effect(() =>
    help.offer('map', [
      { id: 'fit', label: 'Show the whole job', keys: 'F', run: () => map?.fit(job, null) },
      { id: 'in', label: 'Zoom in', keys: '+', run: () => map?.zoom(1) },
      { id: 'out', label: 'Zoom out', keys: '-', run: () => map?.zoom(-1) },
      { id: 'tool-move', label: 'Move points', keys: 'M', run: () => take('move') },
      { id: 'step-back', label: 'Back: panel, tool, whole window', keys: 'Escape', run: escape },
      { id: 'tool-outline', label: 'Draw an area', keys: 'O', run: () => take('outline') },
      { id: 'tool-corridor', label: 'Draw a corridor along a line', keys: 'L', run: () => take('corridor') },
      { id: 'tool-keep', label: 'Draw a keep-out', keys: 'K', run: () => take('keep-out') },
      { id: 'tool-home', label: 'Set home', keys: 'H', run: () => take('home') },
      { id: 'undo', label: 'Undo', keys: 'Ctrl Z', run: () => map?.stepBack() || draft.undo() },
      { id: 'redo', label: 'Redo', keys: 'Ctrl Y', run: () => draft.redo() },
      { id: 'coordinates', label: 'Place by coordinates', keys: 'C', run: () => open('coordinates') },
      { id: 'layers', label: 'Layers of the map', keys: 'Y', run: () => open('layers') },
      { id: 'alone', label: 'Map alone, and back', keys: 'X', run: () => (alone = !alone) },
      { id: 'file', label: 'Import a boundary file', keys: 'I', run: () => input?.click() },
    ]),
  );
  function open(which: typeof panel) {
    panel = panel === which ? '' : which;
    if (panel !== 'coordinates') map?.point(null);
  }
  /** One step back at a time: the panel, the tool, the whole window. */
  function escape() {
    if (panel) open(panel);
    else if (tool === 'move' && alone) alone = false;
    else take('move');
  }
  function corner(place: [number, number]) {
    if (tool !== 'outline' && tool !== 'corridor' && tool !== 'keep-out' && !draft.outlining) take('outline');
    map?.corner(place);
  }
  const drawing = $derived(tool === 'outline' || tool === 'corridor' || tool === 'keep-out' || draft.outlining !== '');
  const TOOLS: { id: Tool; words: string; title: string; path: string }[] = [
    { id: 'move', words: 'Move', title: 'Move points (M). Alt-click a corner deletes it', path: 'M3 2l11 6-5 1.4L7 15z' },
    { id: 'outline', words: 'Area', title: 'Draw an area (O)', path: 'M2.5 12 5 3.5l8 1 1 8z' },
    {
      id: 'corridor',
      words: 'Corridor',
      title: 'Draw a corridor along a line (L)',
      path: 'M1.5 12l5-6 4 3.5L15 4M1.5 15l5-6 4 3.5L15 7',
    },
    { id: 'keep-out', words: 'Keep-out', title: 'Draw a keep-out (K)', path: 'M3 3l10 10M13 3L3 13' },
    { id: 'home', words: 'Home', title: 'Set home (H)', path: 'M8 2.5l6 11H2z' },
  ];
  const buttons = $derived<ToolButton[][]>([
    TOOLS.map((t) => ({
      ...t,
      full: t.id === 'home',
      on: tool === t.id,
      off: !writable,
      run: () => take(t.id),
    })),
    [
      {
        words: 'Place',
        title: 'Place by coordinates (C)',
        path: 'M8 1v14M1 8h14M8 4.5a3.5 3.5 0 100 7 3.5 3.5 0 000-7',
        on: panel === 'coordinates',
        run: () => open('coordinates'),
      },
      { words: 'File', title: FILES, path: 'M3 2h6l4 4v8H3zM9 2v4h4', off: !writable, run: () => input?.click() },
      {
        words: 'Layers',
        title: 'Layers of the map (Y)',
        path: 'M8 2l6 3-6 3-6-3zM2 8.5l6 3 6-3M2 11.5l6 3 6-3',
        on: panel === 'layers',
        run: () => open('layers'),
      },
    ],
    [
      {
        words: 'Undo',
        title: 'Undo (Ctrl Z)',
        path: 'M6 3L2 7l4 4M2 7h8a4 4 0 010 8H7',
        off: !draft.past.length,
        run: () => map?.stepBack() || draft.undo(),
      },
      {
        words: 'Redo',
        title: 'Redo (Ctrl Y)',
        path: 'M10 3l4 4-4 4M14 7H6a4 4 0 000 8h3',
        off: !draft.future.length,
        run: () => draft.redo(),
      },
    ],
    [
      { words: 'In', title: 'Zoom in (+)', path: 'M8 3v10M3 8h10', phone: false, run: () => map?.zoom(1) },
      { words: 'Out', title: 'Zoom out (−)', path: 'M3 8h10', phone: false, run: () => map?.zoom(-1) },
      {
        words: 'All',
        title: 'Show the whole job (F)',
        path: 'M2 6V2h4M10 2h4v4M14 10v4h-4M6 14H2v-4',
        run: () => map?.fit(job, null),
      },
      {
        words: alone ? 'Back' : 'Alone',
        title: 'Map alone, and back (X)',
        path: alone ? 'M6 2v4H2M10 2v4h4M14 10h-4v4M6 14v-4H2' : 'M9 2h5v5M14 2L9 7M7 14H2V9M2 14l5-5',
        on: alone,
        run: () => (alone = !alone),
      },
    ],
  ]);
</script>

<FromFile
  file={files.found?.file ?? ''}
  found={files.found?.boundary ?? null}
  spraying={draft.job?.kind === 'spraying'}
  replaces={job.areas.length > 0}
  onuse={(choice) => files.takeOver(choice)}
  oncancel={() => (files.found = null)} />
<svelte:window onbeforeprint={() => sheet && map?.copyTo(sheet)} onpaste={(e) => files.pasted(e)} />

<div
  class="relative h-full w-full overflow-hidden bg-paper-deep"
  role="application"
  aria-label="Map of the job. The fields beside it and the list of corners give the same by keyboard."
  ondragover={(e) => {
    e.preventDefault();
    files.over = true;
  }}
  ondragleave={() => (files.over = false)}
  ondrop={(e) => {
    e.preventDefault();
    void files.take(e.dataTransfer?.files);
  }}>
  <div class="no-print absolute inset-0" data-testid="map" {@attach mount}></div>
  <canvas class="print-only w-full" bind:this={sheet} aria-hidden="true"></canvas>

  <div class="absolute inset-x-3 bottom-3 flex flex-wrap-reverse items-end justify-between gap-2" bind:clientHeight={foot}>
    <MapTools groups={buttons} />
    <div class="ml-auto flex flex-col items-end gap-1">
      <ScaleBar {perPx} />
      <div class="quiet rounded bg-sheet/95 px-2 py-0.5 text-note">
        {#if pointer}{pointer[1].toFixed(5)}°, {pointer[0].toFixed(5)}° ·
        {/if}
        {#if terrainState === 'known'}contours every {show(5, 'm', session.units)}{terrain?.line.simulated
            ? ', terrain simulated'
            : ''}
        {:else if terrainState === 'loading'}looking for terrain …
        {:else}no terrain known here: plain sheet with a grid of degrees{/if}{#if layers.credits}
          · {layers.credits}{/if}
      </div>
    </div>
  </div>
  <input
    bind:this={input}
    class="hidden"
    type="file"
    aria-label="Boundary file"
    accept=".geojson,.json,.kml,.kmz,.gpx,.zip,.gpkg,.csv,.txt,.wkt,.gz,.tif,.tiff,.asc,.mbtiles,.pmtiles"
    onchange={(e) => files.take(e.currentTarget.files).then(() => (input!.value = ''))} />

  {#if panel}
    <div
      class="no-print absolute left-3 w-80 max-w-[90%] overflow-y-auto rounded border border-rule bg-sheet p-3"
      style:bottom="{foot + 20}px"
      style:max-height="calc(100% - {foot + 110}px)"
      role="group"
      aria-label={panel === 'layers' ? 'Layers' : 'Place by coordinates'}>
      <div class="flex items-center justify-between">
        <h3 class="m-0 text-base font-semibold">{panel === 'layers' ? 'Layers' : 'Place by coordinates'}</h3>
        <button class="button plain" aria-label="Close" onclick={() => open(panel)}>×</button>
      </div>
      {#if panel === 'layers'}
        <LayersPanel
          {layers}
          terrain={terrain?.line.name ?? null}
          writable={session.may('jobs:write')}
          onfile={() => input?.click()}
          onlook={(bounds) => map?.bring(bounds)} />
      {:else}
        <Coordinates
          {writable}
          {drawing}
          onplace={(place) => {
            map?.point(place);
            if (place) map?.look(place);
          }}
          onhome={(home) => draft.change({ home })}
          oncorner={corner}
          onclose={() => map?.close() || notices.say('An area needs three corners.', { bad: true })} />
      {/if}
    </div>
  {/if}

  {#if tool !== 'move'}
    <p
      class="absolute left-1/2 top-3 z-10 -translate-x-1/2 rounded bg-ink px-3 py-2 text-sheet"
      role="status"
      aria-live={drawn ? 'off' : 'polite'}>
      {drawn
        ? inWords(drawn, session.units)
        : tool === 'home'
          ? 'Click where the crew takes off and lands.'
          : tool === 'stopped'
            ? 'Tap the line where work stopped.'
            : 'Click corner after corner; double-click ends. Ctrl Z takes the last one back, Esc leaves.'}
    </p>
  {/if}

  <WindRose wind={job.wind} />

  {#if job.keep_outs.length && writable && tool === 'move'}
    <KeepOuts {draft} />
  {/if}

  {#if !job.areas.length && tool === 'move'}
    <div
      class="absolute left-1/2 top-1/2 w-[min(400px,90%)] -translate-x-1/2 -translate-y-1/2 rounded border-line border-ink bg-sheet p-5 text-center">
      <h2 class="mb-2 text-title">Where is the work?</h2>
      <p class="mb-3">
        Drop a boundary file here: GeoJSON, KML, KMZ, GPX, a zipped shapefile, GeoPackage or a table of corners. Or draw it on the
        map.
      </p>
      <div class="flex justify-center gap-3">
        <button class="button dark" onclick={() => take('outline')}>Draw an area</button><button
          class="button"
          onclick={() => input?.click()}>From file</button>
      </div>
    </div>
  {/if}
  {#if draft.problemAt('areas', 'keep_outs', 'home') && job.areas.length}
    <p
      class="problem absolute left-1/2 top-25 max-w-160 -translate-x-1/2 rounded border-2 border-madder bg-sheet px-4 py-2"
      role="alert">
      {draft.problemAt('areas', 'keep_outs', 'home')}
    </p>
  {/if}
  {#if files.refusal}
    <div
      class="absolute left-1/2 top-25 flex w-[min(560px,92%)] -translate-x-1/2 flex-col gap-2 rounded border-2 border-madder bg-sheet px-4 py-3"
      role="alert">
      <b class="[overflow-wrap:anywhere]">{files.refusal.file} was not imported</b>
      <p class="m-0">{files.refusal.words}</p>
      <p class="quiet m-0 text-small">What was here before is unchanged.</p>
      <button class="button self-end" onclick={() => (files.refusal = null)}>Close</button>
    </div>
  {/if}
  {#if files.over || files.reading}
    <div
      class="pointer-events-none absolute inset-3 grid place-items-center rounded border-3 border-dashed border-ink bg-sheet/80">
      <span class="flex flex-col items-center gap-3"
        ><span class="sharp text-page" role="status">{files.reading ? 'Reading the file …' : 'Let go to import this file'}</span>
        {#if files.reading && files.stop}<button class="button pointer-events-auto" onclick={() => files.cancel()}>Cancel</button
          >{/if}</span>
    </div>
  {/if}
</div>
