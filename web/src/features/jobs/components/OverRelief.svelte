<!-- Overlap over relief: how much of the field gets what is wanted, the worst of it, and what it takes to hold everywhere. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import type { Schemas } from '$shared/api/client';
  import { hours, percent, show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import Why from '$shared/working/Why.svelte';
  import type { JobDraft } from '../state/draft.svelte';

  let { draft, writable }: { draft: JobDraft; writable: boolean } = $props();
  const job = $derived(draft.job!);
  let open = $state(false);
  let found = $state.raw<Schemas['OverlapOut'] | null>(null);
  let rows = $state.raw<Schemas['RemedyOut'][] | null>(null);
  let problem = $state('');
  let stop = $state.raw<AbortController | null>(null);
  const wanted = $derived(
    `${percent(Number(job.work.side_overlap_frac))} side, ${percent(Number(job.work.forward_overlap_frac))} forward`,
  );

  // Asked for again whenever the plan has changed.
  $effect(() => {
    const { plan } = draft;
    if (!open || !plan) {
      draft.short = null;
      return;
    }
    void call('GET', '/api/jobs/{job_id}/overlap', { params: { path: { job_id: job.id } } }).then(({ data, problem: bad }) => {
      if (draft.plan !== plan) return;
      found = data;
      rows = null;
      problem = bad?.detail ?? '';
      draft.short = data && open ? { near: data.near as number[][][][], far: data.far as number[][][][] } : null;
    });
    return () => (draft.short = null);
  });

  async function compare() {
    stop = new AbortController();
    const { signal } = stop;
    const path = { params: { path: { job_id: job.id } }, signal };
    const { data, problem: bad } = await call('GET', '/api/jobs/{job_id}/overlap/remedies', path);
    stop = null;
    if (signal.aborted) return;
    rows = data;
    problem = bad?.detail ?? '';
  }
  function take(r: Schemas['RemedyOut']) {
    draft.change({ work: { ...job.work, ...r.work }, lines: { ...job.lines, raised: r.raised || job.lines.raised } });
    notices.say(r.raised ? 'Lines raised one by one' : `${r.words}: ${show(r.work!.height_m!, 'm', session.units)}`, {
      undo: () => draft.undo(),
    });
  }
</script>

<details class="col-span-full text-small" bind:open data-testid="over-relief">
  <summary class="inline-flex min-h-touch cursor-pointer items-center font-semibold">Overlap over relief</summary>
  {#if problem}<p class="problem m-0" role="alert">{problem}</p>
  {:else if !found}<p class="quiet m-0" role="status">Looking at every place …</p>
  {:else}
    <p class="m-0">
      <b>{percent(found.wanted_frac)}</b> of the field gets {wanted}; {percent(found.short_frac)} no more than ten points less. Smallest
      side
      <b class:text-madder={found.least_side_frac < Number(job.work.side_overlap_frac) - 0.1}
        ><Why text={percent(found.least_side_frac)} name="smallest side overlap" given={found.workings?.side} /></b
      >, forward
      <b><Why text={percent(found.least_forward_frac)} name="smallest forward overlap" given={found.workings?.forward} /></b>;
      largest pixel <Why
        text={show(found.worst_sample_m, 'cm', session.units)}
        name="largest pixel"
        given={found.workings?.sample} />. The ground lies
      {show(found.least_height_m, 'm', session.units)} to {show(found.most_height_m, 'm', session.units)} below its lines.
    </p>
    {#if found.near.length || found.far.length}<p class="quiet m-0">
        Wide hatching on the map: up to ten points short; close hatching: more.
      </p>{/if}
    {#if found.known_frac < 0.99}<p class="m-0">The terrain grid tells of {percent(found.known_frac)} of the field.</p>{/if}
    {#if rows}
      <table class="mt-2 w-full border-collapse" data-testid="remedies">
        <thead
          ><tr class="quiet text-note"
            ><th class="text-left font-normal"></th><th class="text-right font-normal">as wanted</th><th
              class="text-right font-normal">pixel</th
            ><th class="text-right font-normal">lines</th><th class="text-right font-normal">time</th><th
              class="text-right font-normal">sorties</th
            ></tr
          ></thead>
        <tbody>
          {#each rows as r, k (r.words)}
            <tr class="border-t border-rule"
              ><th scope="row" class="py-1 text-left font-semibold" colspan={r.problem ? 6 : 1}
                >{r.words}{#if r.problem}<span class="font-normal">: {r.problem}</span>{/if}</th
              >{#if !r.problem}<td class="whitespace-nowrap text-right">{percent(r.wanted_frac)}</td><td
                  class="whitespace-nowrap pl-2 text-right">{show(r.worst_sample_m, 'cm', session.units)}</td
                ><td class="whitespace-nowrap pl-2 text-right">{r.lines_count}</td><td class="whitespace-nowrap pl-2 text-right"
                  >{hours(r.total_s)}</td
                ><td class="whitespace-nowrap pl-2 text-right">{r.sorties_count}</td>{/if}</tr>
            {#if !r.problem && k}
              <tr
                ><td colspan="6" class="pb-1"
                  >{#if r.raised}each line in steps of {show(5, 'm', session.units)}, from
                  {/if}{show(r.work!.height_m!, 'm', session.units)} above ground, lines laid for {percent(
                    r.work!.side_overlap_frac!,
                    1,
                  )}
                  and {percent(r.work!.forward_overlap_frac!, 1)}
                  {#if writable}<button class="button small ml-2" onclick={() => take(r)}>Take it</button>{/if}</td
                ></tr>
            {/if}
          {/each}
        </tbody>
      </table>
    {:else if stop}
      <div class="mt-1 flex items-center gap-3" role="status">
        Planning each in full …<button class="button small" onclick={() => stop?.abort()}>Cancel</button>
      </div>
    {:else if found.wanted_frac < 0.9995}<button class="button small mt-1" onclick={compare}>What would hold everywhere</button
      >{/if}
  {/if}
</details>
