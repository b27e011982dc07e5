<!-- What was truly covered: figures with their working, gaps with their causes, sorties with where they are known from, proof. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { call } from '$shared/api/call';
  import { download } from '$shared/api/download';
  import type { Schemas } from '$shared/api/client';
  import { areaWords, clock, dayAndClock, dayName, percent } from '$shared/format/units';
  import { Resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import Why from '$shared/working/Why.svelte';
  import type { Job } from '../state/draft.svelte';
  import type { Flown, Gap } from './flown.svelte';
  import Photos from './Photos.svelte';
  import { between, figureName, figureText, gapsWords, SOURCE } from './words';

  let { flown, job, onlook }: { flown: Flown; job: Job; onlook: (place: [number, number]) => void } = $props();
  const view = $derived(flown.view);
  const opening = $derived(view ? { opens: '', opens_at: view.began_at, time_zone: view.time_zone } : null);
  const may = $derived(session.may('jobs:write') && !job.archived);
  const estimated = $derived(view?.sorties.filter((s) => s.source === 'landing').length ?? 0);
  const common = $derived(
    view && view.sorties.length > 1 ? view.sorties[0]!.notes.filter((n) => view.sorties.every((s) => s.notes.includes(n))) : [],
  );
  const running = $derived(session.me?.live_day ?? null);
  const runsHere = $derived(!!running && !!view?.days.some((d) => d.id === running));
  let busy = $state('');
  const proofs = new Resource(() => call('GET', '/api/jobs/{job_id}/proofs', { params: { path: { job_id: job.id } } }));
  void proofs.load();

  function look(gap: Gap) {
    flown.looked = gap.number;
    onlook(gap.at as [number, number]);
  }
  async function fly(join: string | null) {
    busy = 'fly';
    const { data, problem } = await flown.fly(join);
    busy = '';
    if (!data) return notices.say(problem!.detail, { bad: true });
    if (join) {
      notices.say(`${data.name} joins the day: ${data.joined.join(', ')}`);
      await goto('/live');
    } else await goto(`/jobs/${data.job_id}`);
  }
  async function prove() {
    busy = 'proof';
    const { data, problem } = await call('POST', '/api/jobs/{job_id}/proofs', {
      params: { path: { job_id: job.id } },
      body: { day_id: flown.day || null },
    });
    busy = '';
    if (!data) return notices.say(problem!.detail, { bad: true });
    await proofs.load();
    await save(data, 'pdf');
  }
  async function save(proof: Schemas['ProofOut'], form: 'pdf' | 'geojson' | 'tif') {
    const failed = await download(`/api/proofs/${proof.id}.${form}`);
    if (failed) notices.say(failed, { bad: true });
  }
  const nth = (n: number) => String(n).padStart(4, '0');
</script>

<Failed of={flown.answer} />
{#if flown.answer.busy && !view}
  <p class="quiet" role="status">Laying what was flown over the plan …</p>
{:else if flown.answer.value && !view}
  <p role="status">{flown.answer.value.problem}</p>
  <p class="quiet mt-2">
    What counts: telemetry while the day ran, logs in the logbook that belong to this job, and where there is neither, the
    landings that were tapped in Live.
  </p>
  {#if job.kind === 'mapping'}<Photos {flown} jobId={job.id} writable={session.may('logs:read') && !job.archived} />{/if}
{:else if view && opening}
  <table class="w-full border-collapse" data-testid="flown-figures">
    <tbody>
      {#each view.figures as f (f.key)}
        <tr class="border-b border-rule align-baseline">
          <th scope="row" class="py-1 text-left font-normal">{figureName(f.key, view.kind)}</th>
          <td class="text-right">
            <Why text={figureText(f, session.units)} name={figureName(f.key, view.kind)} ask={() => flown.working(f.key)} />
            {#if between(f, session.units)}<div class="quiet text-note">{between(f, session.units)}</div>{/if}
          </td>
        </tr>
      {/each}
    </tbody>
  </table>
  {#if estimated}
    <p class="mt-2 text-small" data-testid="flown-estimated">
      <b
        >{estimated === view.sorties.length
          ? 'All of it is an estimate'
          : `${estimated} of ${view.sorties.length} sorties are estimates`}</b
      >, from their landings: drop the logs in the <a href="/logbook">Logbook</a>, and it is measured.
    </p>
  {/if}
  {#if view.days.length > 1}
    <label class="mt-3 block text-small"
      >Flown on<select class="mt-1 block w-full" value={flown.day} onchange={(e) => flown.take(e.currentTarget.value)}
        ><option value="">the newest days that complete one another</option>
        {#each view.days as d (d.id)}<option value={d.id}>{dayName(d.date)}: {d.name}</option>{/each}
      </select></label>
  {/if}

  <h2 class="mb-1 mt-4 text-title">Gaps</h2>
  <p class="m-0 text-small" data-testid="gaps-words">{gapsWords(view.gaps, session.units)}</p>
  {#if view.gaps.length}
    <table class="mt-1 w-full border-collapse text-small" data-testid="gaps">
      <thead
        ><tr class="quiet text-note"
          ><th class="w-8 text-left font-normal"
            ><input
              type="checkbox"
              class="size-5"
              aria-label="All gaps"
              checked={flown.chosen.length === view.gaps.length}
              indeterminate={flown.chosen.length > 0 && flown.chosen.length < view.gaps.length}
              onchange={(e) => flown.all(e.currentTarget.checked)} /></th
          ><th class="text-left font-normal">gap</th><th class="text-right font-normal">area</th><th
            class="pl-3 text-left font-normal">probably</th
          ></tr
        ></thead>
      <tbody>
        {#each view.gaps.slice(0, 60) as g (g.number)}
          <tr class="border-b border-rule align-baseline" class:bg-wash-madder={flown.looked === g.number}>
            <td
              ><input
                type="checkbox"
                class="size-5"
                aria-label="Gap {g.number}"
                checked={flown.chosen.includes(g.number)}
                onchange={() => flown.turn(g.number)} /></td
            ><td
              ><button class="min-h-touch min-w-touch text-left font-semibold underline" onclick={() => look(g)}
                >{g.number}</button
              ></td
            ><td class="whitespace-nowrap text-right">{areaWords(g.area_m2, session.units)}</td><td class="pl-3"
              >{g.words}{view.fields.length > 1 && g.field ? `, ${g.field}` : ''}</td>
          </tr>
        {/each}
      </tbody>
    </table>
    {#if view.gaps.length > 60}<p class="quiet m-0 text-small">{view.gaps.length - 60} smaller ones are on the map.</p>{/if}
    {#if may}
      <div class="mt-3 flex flex-wrap gap-2">
        <button class="button dark" disabled={!flown.chosen.length || !!busy} onclick={() => fly(null)}
          >{busy === 'fly' ? 'Making lines …' : 'Fly the gaps'}</button>
        {#if runsHere}<button class="button" disabled={!flown.chosen.length || !!busy} onclick={() => fly(running)}
            >At the end of today</button
          >{/if}
      </div>
      <p class="quiet mt-1 text-note">A job of its own, its lines as here; sorties and packs as any job has.</p>
    {/if}
  {/if}

  <h2 class="mb-1 mt-4 text-title">Sorties</h2>
  <ul class="m-0 list-none p-0 text-small">
    {#each view.sorties as s (s.sortie)}
      <li class="border-b border-rule py-1">
        <div class="flex justify-between gap-2">
          <span><b>{s.sortie}</b> {s.from_s == null ? '' : `${clock(opening, s.from_s)} to ${clock(opening, s.to_s!)}`}</span
          ><span>{areaWords(s.covered_m2, session.units)}</span>
        </div>
        <div class="quiet">
          {SOURCE[s.source]}{s.pictures ? `, ${s.pictures} pictures` : ''}{s.alone_m2 < s.covered_m2 * 0.8
            ? `, ${areaWords(s.alone_m2, session.units)} of it by no other`
            : ''}
        </div>
        {#each s.notes.filter((n) => !common.includes(n)) as n (n)}<div class="quiet">{n}</div>{/each}
      </li>
    {/each}
  </ul>
  {#each [...common.map((n) => `All sorties: ${n}.`), ...view.notes, ...view.left_out] as n (n)}<p
      class="mt-2 text-small"
      data-testid="flown-note">
      {n}
    </p>{/each}
  {#if view.fields.length > 1}
    <h2 class="mb-1 mt-4 text-title">Fields</h2>
    <table class="w-full border-collapse text-small">
      <tbody>
        {#each view.fields as f, k (k)}
          <tr class="border-b border-rule"
            ><td class="[overflow-wrap:anywhere]">{f.name}</td><td class="text-right">{areaWords(f.ground_m2, session.units)}</td
            ><td class="text-right">{percent(f.ground_m2 ? f.covered_m2 / f.ground_m2 : 0, 1)}</td></tr>
        {/each}
      </tbody>
    </table>
  {/if}
  <details class="mt-3 text-small">
    <summary class="inline-flex min-h-touch cursor-pointer items-center font-semibold">Lines</summary>
    <table class="w-full border-collapse">
      <tbody>
        {#each view.lines as x (`${x.sortie} ${x.number}`)}
          <tr class="border-b border-rule"
            ><td>{x.sortie}, line {x.number}</td><td class="text-right">{Math.round(x.length_m)} m</td><td
              class="text-right {x.covered_m < 0.9 * x.length_m ? 'text-madder' : ''}">{percent(x.covered_m / x.length_m)}</td
            ></tr>
        {/each}
      </tbody>
    </table>
  </details>

  {#if job.kind === 'mapping'}<Photos {flown} jobId={job.id} writable={session.may('logs:read') && !job.archived} />{/if}

  <h2 class="mb-1 mt-4 text-title">Proof</h2>
  <p class="quiet m-0 text-small">PDF, GeoJSON and GeoTIFF for the client, numbered, with their checksums.</p>
  <ul class="m-0 list-none p-0 text-small">
    {#each proofs.value ?? [] as p (p.id)}
      <li class="flex flex-wrap items-baseline gap-x-3 border-b border-rule py-1">
        <b>{nth(p.number)}</b><span class="quiet">{dayAndClock(p.made_at)}, {p.by}, {percent(p.covered_frac, 1)}</span>
        <span class="ml-auto flex gap-3">
          {#each ['pdf', 'geojson', 'tif'] as const as form (form)}<button
              class="underline"
              title="SHA-256 {p.digests[form]}"
              aria-label="Proof {nth(p.number)} as {form}"
              onclick={() => save(p, form)}>{form === 'tif' ? 'GeoTIFF' : form === 'pdf' ? 'PDF' : 'GeoJSON'}</button
            >{/each}
        </span>
      </li>
    {/each}
  </ul>
  {#if may}<button class="button mt-2" disabled={!!busy} onclick={prove}
      >{busy === 'proof' ? 'Printing …' : 'Make a proof'}</button
    >{/if}
{/if}
