<!-- Preflight lists: begin one for a sortie with its packs, or open one that was worked. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { page as route } from '$app/state';
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { allJobs } from '$shared/lists';
  import { resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import Gate from '$shared/ui/Gate.svelte';
  import { dayName } from '$shared/format/units';

  const theJobs = resource(allJobs, (found) => (jobId ||= found[0]?.id ?? ''));
  const theFleet = resource(() => call('GET', '/api/fleet'));
  const worked = resource(() => call('GET', '/api/preflights'));
  const jobs = $derived(theJobs.value ?? []);
  const fleet = $derived(theFleet.value);
  const lists = $derived(worked.value);
  let answer = $state.raw<Schemas['JobAnswer'] | null>(null);
  let jobId = $state(route.url.searchParams.get('job') ?? '');
  let aircraftId = $state('');
  let sortie = $state(Number(route.url.searchParams.get('sortie') ?? 1));
  let picked = $state<string[]>([]);
  let problem = $state.raw<Problem | null>(null);
  const key = crypto.randomUUID() as string;
  const writable = $derived(session.may('preflight:write'));

  $effect(() => {
    if (!jobId) return;
    void call('GET', '/api/jobs/{job_id}', { params: { path: { job_id: jobId } } }).then(({ data }) => {
      answer = data;
      aircraftId = data?.job.aircraft_id ?? fleet?.aircraft.find((a) => a.model_id === data?.job.aircraft_model_id)?.id ?? '';
    });
  });
  const aircraft = $derived(fleet?.aircraft.find((a) => a.id === aircraftId) ?? null);
  const model = $derived(fleet?.aircraft_models.find((m) => m.id === aircraft?.model_id) ?? null);
  const packs = $derived((fleet?.packs ?? []).filter((p) => p.model_id === model?.pack_model_id && !p.archived));
  const sorties = $derived(answer?.plan?.sorties ?? []);
  // The set that the sortie was cut for stands ready; another may be taken.
  $effect(() => {
    const planned = sorties.find((s) => s.number === sortie)?.set ?? '';
    const names = planned.split(' + ').filter(Boolean);
    const found = packs.filter((p) => names.includes(p.name)).map((p) => p.id);
    picked = found.length === (model?.packs_count ?? 1) ? found : [];
  });
  function toggle(id: string) {
    picked = picked.includes(id) ? picked.filter((x) => x !== id) : [...picked, id].slice(-(model?.packs_count ?? 1));
  }
  async function begin() {
    const { data, problem: bad } = await call('POST', '/api/preflights', {
      body: { key, job_id: jobId, aircraft_id: aircraftId || null, pack_ids: picked, sortie, on: null },
    });
    problem = bad;
    if (data) await goto(`/preflight/${data.id}`);
  }
  const STATE: Record<string, string> = { open: 'open' };
  const ENDED: Record<string, string> = { overridden: 'overridden', 'went on': 'went on', 'came back': 'came back' };
</script>

<div class="mx-auto max-w-309 px-6 py-5">
  <h1 class="mb-4">Preflight</h1>
  <Failed of={[worked, theJobs, theFleet]} />
  <section class="rounded border-line border-ink bg-sheet p-5" aria-label="Begin a list">
    <div class="grid grid-cols-3 gap-x-8 gap-y-3 max-tablet:grid-cols-1">
      <Choice
        label="Job"
        stacked
        value={jobId}
        options={jobs.map((j) => ({ value: j.id, label: `${j.letter} ${j.name}` }))}
        onchange={(v) => {
          jobId = v;
          sortie = 1;
        }} />
      <Choice
        label="Aircraft"
        stacked
        value={aircraftId}
        empty="choose"
        options={(fleet?.aircraft ?? []).filter((a) => !a.archived).map((a) => ({ value: a.id, label: a.name }))}
        onchange={(v) => (aircraftId = v)}
        problem={problem?.field === 'aircraft_id' ? problem.detail : ''} />
      <Choice
        label="Sortie"
        stacked
        value={String(sortie)}
        options={(sorties.length ? sorties.map((s) => s.number) : [1]).map((n) => ({
          value: String(n),
          label: `${answer?.job.letter ?? ''}${n}`,
        }))}
        onchange={(v) => (sortie = Number(v))} />
    </div>
    {#if model}
      <h2 class="mb-1 mt-4">{model.packs_count === 1 ? 'Pack' : `${model.packs_count} packs`}</h2>
      <div class="flex flex-wrap gap-2" role="group" aria-label="Packs">
        {#each packs as p (p.id)}
          <button
            class="button !min-w-18 {p.grounded ? 'text-madder' : ''}"
            aria-pressed={picked.includes(p.id)}
            onclick={() => toggle(p.id)}><span class="sharp text-title">{p.name}</span>{p.grounded ? ' ✕' : ''}</button>
        {:else}<span class="quiet">No pack of this kind yet.</span>{/each}
      </div>
    {/if}
    <div class="mt-4 flex flex-wrap items-center gap-4">
      <button
        class="button dark !min-h-tap-large !px-8 text-title"
        disabled={!writable || !jobId || !picked.length}
        onclick={begin}>Begin the list</button>
      {#if problem && problem.field !== 'aircraft_id'}<p class="problem" role="alert">{problem.detail}</p>{/if}
      {#if !writable}<p class="quiet">Your role reads lists only. Ask a pilot.</p>{/if}
    </div>
  </section>
  <h2 class="mb-1 mt-6">Lists of the last days</h2>
  {#if lists && !lists.length}<p class="quiet">None yet. Begin one before a take-off: it takes about a minute.</p>{/if}
  <ul class="m-0 list-none p-0">
    {#each lists ?? [] as l (l.id)}
      <li class="border-b border-rule">
        <a
          class="grid min-h-touch grid-cols-[70px_1fr_1fr_1fr_150px] items-center gap-3 no-underline max-tablet:grid-cols-[60px_1fr_150px]"
          href="/preflight/{l.id}">
          <span class="sharp text-title">{l.label}</span><span class="max-tablet:hidden">{l.job}</span><span
            >{l.aircraft}, {l.packs.join(' + ')}</span
          ><span class="quiet max-tablet:hidden">{dayName(l.on)}</span>
          {#if l.state === 'open'}<span>{STATE[l.state]}</span>{:else}<Gate word={l.word} size={16} text={ENDED[l.state]} />{/if}
        </a>
      </li>
    {/each}
  </ul>
</div>
