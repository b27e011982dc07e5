<script lang="ts">
  import 'ol/ol.css';
  import { untrack } from 'svelte';
  import type { Attachment } from 'svelte/attachments';
  import { call } from '$shared/api/call';
  import { type Schemas } from '$shared/api/client';
  import { digits, show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import { help } from '$shared/ui/help.svelte';
  import type { JobDraft } from '../state/draft.svelte';
  import FromFile from './FromFile.svelte';
  import { leftOut, taken, type Boundary, type Choice } from '../state/boundary';
  import { JobMap, type Tool } from './map';

  let { draft }: { draft: JobDraft } = $props();
  let map: JobMap | null = $state.raw(null);
  let tool = $state<Tool>('move');
  let pointer = $state.raw<[number, number] | null>(null);
  let terrain = $state.raw<{ line: Schemas['TerrainLine']; sheet: Schemas['TerrainOut'] } | null>(null);
  let terrainState = $state<'loading' | 'known' | 'outside' | 'none'>('loading');
  let over = $state(false);
  let reading = $state(false);
  let found = $state.raw<{ file: string; boundary: Boundary } | null>(null);
  let stop = $state.raw<AbortController | null>(null);
  let refusal = $state.raw<{ file: string; words: string } | null>(null);
  let bar = $state({ px: 100, text: '', half: '' });
  const job = $derived(draft.job!);
  const writable = $derived(session.may('jobs:write') && !job.archived);
  const MOST_SHOWN = 40;
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
      home: (home) => {
        draft.change({ home });
        if (tool === 'home') take('move');
      },
      pick: (n) => (draft.selected = n),
      pointer: (p) => (pointer = p),
    });
    m.map.getView().on('change:resolution', () => scale(m));
    m.map.once('postrender', () => {
      m.fit(job, null, false);
      scale(m);
    });
    map = m;
    return () => {
      m.destroy();
      map = null;
    };
  };

  function scale(m: JobMap) {
    const perPx = m.resolution() * (session.units === 'imperial' ? 3.28084 : 1);
    const want = perPx * 130;
    const step = 10 ** Math.floor(Math.log10(want));
    const length = [5, 2, 1].map((k) => k * step).find((k) => k <= want) ?? step;
    const unit = session.units === 'imperial' ? 'ft' : 'm';
    bar = { px: length / perPx, text: `${digits(length)} ${unit}`, half: digits(length / 2) };
  }

  function take(next: Tool) {
    tool = next;
    map?.use(next);
    map?.show(job, draft.plan, draft.selected, stale);
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
    const { data: sheet } = await call('GET', '/api/terrains/{terrain_id}', { params: { path: { terrain_id: found.id } } });
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
    if (!map) return;
    void where;
    void findTerrain();
  });
  $effect(() => {
    if (!map) return;
    map.writable = writable;
    map.show(job, draft.plan, draft.selected, stale);
  });
  let light = '';
  $effect(() => {
    const now = session.me?.light ?? 'day';
    if (map && light && now !== light) setTimeout(() => map?.relight(job, draft.plan, draft.selected, stale), 0);
    light = now;
  });

  async function drop(files: FileList | null | undefined) {
    over = false;
    const file = files?.[0];
    if (!file || !writable) return;
    reading = true;
    const form = new FormData();
    form.append('file', file);
    if (/\.(tiff?|asc|grd)$/i.test(file.name)) {
      await loadTerrain(file.name, form);
      return;
    }
    stop = new AbortController();
    const stopped = stop.signal;
    const { data, problem } = await call('POST', '/api/jobs/boundary', {
      signal: stopped,
      params: { query: job.home ? { home_lon: job.home[0], home_lat: job.home[1] } : {} },
      body: form as never,
      bodySerializer: (b) => b as never,
    });
    if (stopped.aborted) return;
    reading = false;
    if (data) found = { file: file.name, boundary: data };
    // A refusal stays to be read; what was there stays as it is.
    else refusal = { file: file.name, words: problem.detail };
  }

  function takeOver(name: string, data: Boundary, choice: Choice) {
    found = refusal = null;
    const change = taken(data, choice, job);
    const chosen = choice.points.includes('home');
    const notes = [...data.notes, ...leftOut(data, choice)];
    if (!chosen && !data.home_stays)
      notes.unshift({
        did: 'found',
        words: 'No home was taken from the file: it stands at a corner of the area. Move it to where you take off.',
        at: data.home,
      });
    draft.change(change);
    draft.area = 0;
    draft.imported = { file: name, notes };
    const count = change.areas!.length;
    notices.say(`${name}: ${count} area${count > 1 ? 's' : ''} taken over`, { undo: () => draft.undo() });
    setTimeout(() => map?.fit(job, null), 30);
  }

  /** Text with corners or WKT, pasted. */
  function pasted(e: ClipboardEvent) {
    const into = e.target as HTMLElement | null;
    if (into?.closest('input, textarea, select') || !writable) return;
    const text = e.clipboardData?.getData('text/plain').trim() ?? '';
    if (e.clipboardData?.files.length) void drop(e.clipboardData.files);
    else if (/^(SRID|MULTI|POLYGON|LINESTRING|[{<]|\S*lat|\S*lon)/i.test(text)) {
      const list = new DataTransfer();
      list.items.add(new File([text], 'pasted text', { type: 'text/plain' }));
      void drop(list.files);
    }
  }

  async function loadTerrain(name: string, form: FormData) {
    const { data, problem } = await call('POST', '/api/terrains', { body: form as never, bodySerializer: (b) => b as never });
    reading = false;
    if (!data) {
      notices.say(problem.detail, { bad: true });
      return;
    }
    const undo = async () => {
      const back = await call('DELETE', '/api/terrains/{terrain_id}', { params: { path: { terrain_id: data.id } } });
      if (back.problem) notices.say(back.problem.detail, { bad: true });
      await findTerrain();
      void draft.load(job.id);
    };
    notices.say(`${name}: terrain taken over, the plan follows it`, { undo: () => void undo() });
    await findTerrain();
    void draft.load(job.id);
  }

  function removeKeepOut(k: number) {
    draft.change({ keep_outs: job.keep_outs.filter((_, n) => n !== k) });
    notices.say('Keep-out deleted', { undo: () => draft.undo() });
  }

  let sheet: HTMLCanvasElement | undefined = $state();
  let input: HTMLInputElement | undefined = $state();
  $effect(() =>
    help.offer('map', [
      { id: 'fit', label: 'Show the whole job', keys: 'F', run: () => map?.fit(job, null) },
      { id: 'in', label: 'Zoom in', keys: '+', run: () => map?.zoom(1) },
      { id: 'out', label: 'Zoom out', keys: '-', run: () => map?.zoom(-1) },
      { id: 'tool-move', label: 'Move points', keys: 'M / Escape', run: () => take('move') },
      { id: 'tool-outline', label: 'Draw an area', keys: 'O', run: () => take('outline') },
      { id: 'tool-corridor', label: 'Draw a corridor along a line', keys: 'L', run: () => take('corridor') },
      { id: 'tool-keep', label: 'Draw a keep-out', keys: 'K', run: () => take('keep-out') },
      { id: 'tool-home', label: 'Set home', keys: 'H', run: () => take('home') },
      { id: 'undo', label: 'Undo', keys: 'Ctrl Z', run: () => map?.stepBack() || draft.undo() },
      { id: 'redo', label: 'Redo', keys: 'Ctrl Y', run: () => draft.redo() },
      { id: 'file', label: 'Import a boundary file', keys: 'I', run: () => input?.click() },
    ]),
  );
  const tools: { id: Tool; label: string; path: string }[] = [
    { id: 'move', label: 'Move points (M). Alt-click a corner deletes it', path: 'M3 2l11 6-5 1.4L7 15z' },
    { id: 'outline', label: 'Draw an area (O)', path: 'M2.5 12 5 3.5l8 1 1 8z' },
    { id: 'corridor', label: 'Draw a corridor along a line (L)', path: 'M1.5 12l5-6 4 3.5L15 4M1.5 15l5-6 4 3.5L15 7' },
    { id: 'keep-out', label: 'Draw a keep-out (K)', path: 'M3 3l10 10M13 3L3 13' },
    { id: 'home', label: 'Set home (H)', path: 'M8 2.5l6 11H2z' },
  ];
</script>

<FromFile
  file={found?.file ?? ''}
  found={found?.boundary ?? null}
  replaces={job.areas.length > 0}
  onuse={(choice) => found && takeOver(found.file, found.boundary, choice)}
  oncancel={() => (found = null)} />
<svelte:window onbeforeprint={() => sheet && map?.copyTo(sheet)} onpaste={pasted} />

<div
  class="relative h-full w-full overflow-hidden bg-paper-deep"
  role="application"
  aria-label="Map of the job. The fields beside it and the list of corners give the same by keyboard."
  ondragover={(e) => {
    e.preventDefault();
    over = true;
  }}
  ondragleave={() => (over = false)}
  ondrop={(e) => {
    e.preventDefault();
    void drop(e.dataTransfer?.files);
  }}>
  <div class="no-print absolute inset-0" data-testid="map" {@attach mount}></div>
  <canvas class="print-only w-full" bind:this={sheet} aria-hidden="true"></canvas>

  <div class="no-print absolute bottom-3 left-3 flex gap-1 rounded bg-sheet/95 p-1" role="toolbar" aria-label="Map tools">
    {#each tools as t (t.id)}
      <button
        class="button px-2"
        aria-pressed={tool === t.id}
        aria-label={t.label}
        title={t.label}
        disabled={!writable}
        onclick={() => take(t.id)}>
        <svg width="16" height="16" viewBox="0 0 16 16" aria-hidden="true"
          ><path
            d={t.path}
            fill={t.id === 'home' ? 'currentColor' : 'none'}
            stroke="currentColor"
            stroke-width="1.7"
            stroke-linejoin="round" /></svg>
      </button>
    {/each}
    <span class="mx-1 w-px bg-rule"></span>
    <button
      class="button px-2"
      aria-label="Undo (Ctrl Z)"
      title="Undo (Ctrl Z)"
      disabled={!draft.past.length}
      onclick={() => draft.undo()}>↶</button>
    <button
      class="button px-2"
      aria-label="Redo (Ctrl Y)"
      title="Redo (Ctrl Y)"
      disabled={!draft.future.length}
      onclick={() => draft.redo()}>↷</button>
    <span class="mx-1 w-px bg-rule"></span>
    <button class="button px-2" aria-label="Zoom in (+)" onclick={() => map?.zoom(1)}>+</button>
    <button class="button px-2" aria-label="Zoom out (−)" onclick={() => map?.zoom(-1)}>−</button>
    <button
      class="button"
      title="GeoJSON, KML, KMZ, GPX, zipped shapefile, GeoPackage, corners as CSV, WKT"
      disabled={!writable}
      onclick={() => input?.click()}>From file</button>
    <input
      bind:this={input}
      class="hidden"
      type="file"
      aria-label="Boundary file"
      accept=".geojson,.json,.kml,.kmz,.gpx,.zip,.gpkg,.csv,.txt,.wkt,.gz,.tif,.tiff,.asc"
      onchange={(e) => drop(e.currentTarget.files).then(() => (input!.value = ''))} />
  </div>

  {#if tool !== 'move'}
    <p class="absolute left-1/2 top-3 -translate-x-1/2 rounded bg-ink px-3 py-2 text-sheet" role="status">
      {tool === 'home'
        ? 'Click where the crew takes off and lands.'
        : tool === 'stopped'
          ? 'Tap the line where work stopped.'
          : 'Click corner after corner; double-click ends. Ctrl Z takes the last one back, Esc leaves.'}
    </p>
  {/if}

  <div class="absolute bottom-3 right-3 flex flex-col items-end gap-1">
    <div class="rounded bg-sheet/95 px-3 py-1.5 text-note">
      <div class="flex justify-between gap-2">
        <span>0</span>{#if bar.px > 90}<span>{bar.half}</span>{/if}<span>{bar.text}</span>
      </div>
      <svg width={bar.px} height="6" aria-hidden="true"
        ><rect width={bar.px} height="5" fill="none" stroke="var(--ink)" /><rect
          width={bar.px / 4}
          height="5"
          fill="var(--ink)" /><rect x={bar.px / 2} width={bar.px / 4} height="5" fill="var(--ink)" /></svg>
    </div>
    <div class="quiet rounded bg-sheet/95 px-2 py-0.5 text-note">
      {#if pointer}{pointer[1].toFixed(5)}°, {pointer[0].toFixed(5)}° ·
      {/if}
      {#if terrainState === 'known'}contours every {show(5, 'm', session.units)}{terrain?.line.simulated
          ? ', terrain simulated'
          : ''}
      {:else if terrainState === 'loading'}looking for terrain …
      {:else}no terrain known here: plain sheet with a grid of degrees{/if}
    </div>
  </div>

  <div class="absolute right-4 top-4 flex flex-col items-center gap-2" aria-label="Wind planned with">
    <svg
      width="68"
      height="68"
      viewBox="-34 -34 68 68"
      role="img"
      aria-label="Wind from {job.wind.from_deg} degrees; the arrow shows where the wind blows to">
      <circle r="33" fill="var(--sheet)" opacity=".95" />
      {#each Array.from({ length: 12 }, (_, k) => k * 30) as a (a)}<path
          d="M0 -30V-26"
          stroke="var(--ink-2)"
          transform="rotate({a})" />{/each}
      <text y="-17" text-anchor="middle" font-size="12" font-weight="650" fill="var(--ink)">N</text>
      <g transform="rotate({job.wind.from_deg + 180})"
        ><path d="M0 19V-4" stroke="var(--tarn)" stroke-width="3.4" /><path d="M0 -18l6.5 14h-13z" fill="var(--tarn)" /></g>
    </svg>
    <span class="rounded bg-sheet/95 px-2 py-1 text-note font-semibold text-tarn"
      >{show(job.wind.speed_m_s, 'm_s', session.units)} from {Math.round(job.wind.from_deg)}°{job.wind.assumed
        ? ', assumed'
        : ''}</span>
  </div>

  {#if job.keep_outs.length && writable && tool === 'move'}
    <details
      class="no-print absolute right-4 top-38 max-h-[60%] max-w-66 overflow-y-auto rounded bg-sheet/95 px-3 py-2 text-small">
      <summary class="cursor-pointer font-semibold">{job.keep_outs.length} keep-out{job.keep_outs.length > 1 ? 's' : ''}</summary>
      {#if job.keep_outs.length > 1}<div class="mt-2 flex gap-3 text-small">
          <button
            class="underline"
            onclick={() => draft.change({ keep_outs: job.keep_outs.map((x) => ({ ...x, crossing: 'never' as const })) })}
            >none crossed</button
          ><button
            class="underline"
            onclick={() => draft.change({ keep_outs: job.keep_outs.map((x) => ({ ...x, crossing: 'unworked' as const })) })}
            >all may be crossed</button>
        </div>{/if}
      {#each job.keep_outs.slice(0, MOST_SHOWN) as k, n (n)}
        <div class="mt-2 flex flex-col gap-1.5 border-t border-rule pt-2">
          <input
            class="input"
            aria-label="Name of keep-out {n + 1}"
            placeholder="name"
            value={k.name}
            onchange={(e) =>
              draft.change({
                keep_outs: job.keep_outs.map((x, i) => (i === n ? { ...x, name: e.currentTarget.value } : x)),
              })} />
          <label class="flex items-center gap-2"
            ><input
              type="checkbox"
              class="size-4"
              checked={k.crossing === 'never'}
              onchange={(e) =>
                draft.change({
                  keep_outs: job.keep_outs.map((x, i) =>
                    i === n ? { ...x, crossing: e.currentTarget.checked ? 'never' : 'unworked' } : x,
                  ),
                })} />never crossed</label>
          <label class="flex items-center gap-2"
            >margin, m <input
              class="input !w-18"
              inputmode="decimal"
              aria-label="Margin of keep-out {n + 1}, m"
              value={k.margin_m}
              onchange={(e) => {
                const v = Number(e.currentTarget.value.replace(',', '.'));
                if (v >= 0 && v <= 500)
                  draft.change({ keep_outs: job.keep_outs.map((x, i) => (i === n ? { ...x, margin_m: v } : x)) });
              }} /></label>
          <button class="button" onclick={() => removeKeepOut(n)}>Delete</button>
          {#if draft.problemAt(`keep_outs.${n}`)}<p class="problem">
              {draft.problemAt(`keep_outs.${n}`)}
            </p>{/if}
        </div>
      {/each}
      {#if job.keep_outs.length > MOST_SHOWN}<p class="quiet mb-0 mt-2">The first {MOST_SHOWN} of {job.keep_outs.length}.</p>{/if}
    </details>
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
  {#if refusal}
    <div
      class="absolute left-1/2 top-25 flex w-[min(560px,92%)] -translate-x-1/2 flex-col gap-2 rounded border-2 border-madder bg-sheet px-4 py-3"
      role="alert">
      <b class="[overflow-wrap:anywhere]">{refusal.file} was not imported</b>
      <p class="m-0">{refusal.words}</p>
      <p class="quiet m-0 text-small">What was here before is unchanged.</p>
      <button class="button self-end" onclick={() => (refusal = null)}>Close</button>
    </div>
  {/if}
  {#if over || reading}
    <div
      class="pointer-events-none absolute inset-3 grid place-items-center rounded border-3 border-dashed border-ink bg-sheet/80">
      <span class="flex flex-col items-center gap-3"
        ><span class="sharp text-page" role="status">{reading ? 'Reading the file …' : 'Let go to import this file'}</span>
        {#if reading && stop}<button
            class="button pointer-events-auto"
            onclick={() => {
              stop?.abort();
              stop = null;
              reading = false;
            }}>Cancel</button
          >{/if}</span>
    </div>
  {/if}
</div>
