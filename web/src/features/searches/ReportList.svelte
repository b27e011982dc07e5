<!-- What was reported, the newest first, and jobs that wait for their report. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import type { Problem, Schemas } from '$shared/api/client';
  import { clockOf } from '$shared/format/units';
  import { notices } from '$shared/ui/notices.svelte';

  interface Props {
    search: Schemas['SearchOut'];
    writable: boolean;
    onchanged: (search: Schemas['SearchOut']) => void;
  }
  let { search, writable, onchanged }: Props = $props();
  const WHAT: Record<string, string> = { find: 'Found.', clue: 'Clue.', note: 'Note.' };

  function answered(answer: { data: Schemas['SearchOut'] | null; problem: Problem | null }) {
    if (answer.problem) notices.say(answer.problem.detail, { bad: true });
    if (answer.data) onchanged(answer.data);
  }
  const flown = async (job: string) =>
    answered(
      await call('POST', '/api/searches/{search_id}/flown/{job_id}', { params: { path: { search_id: search.id, job_id: job } } }),
    );
  const takeBack = async (key: string) =>
    answered(
      await call('DELETE', '/api/searches/{search_id}/reports/{report_key}', {
        params: { path: { search_id: search.id, report_key: key } },
      }),
    );
</script>

{#if search.jobs.length}
  <h2 class="mt-4">Given out</h2>
  {#each search.jobs as j (j.job_id)}
    <p class="m-0 mt-1 flex items-center gap-2 border-t border-rule pt-1">
      <a class="mr-auto min-w-0 break-words" href="/jobs/{j.job_id}">{j.letter} {j.name}</a>
      {#if j.reported}<span class="quiet text-small">reported</span>{/if}
      {#if writable}<button class="button small" onclick={() => void flown(j.job_id)}>Report as flown</button>{/if}
    </p>
  {/each}
{/if}
<h2 class="mt-4">Reported</h2>
{#if search.reports.length}
  <ul class="m-0 flex list-none flex-col gap-1.5 p-0 text-small" aria-label="Reports">
    {#each [...search.reports].reverse() as r (r.key)}
      <li class="border-t border-rule pt-1">
        <span class:line-through={!!r.taken_back}
          >{clockOf(r.at)}
          {WHAT[r.kind] ?? ''}
          {r.words}</span>
        {#each r.notations as n (n)}<span class="block font-mono tabular-nums">{n}</span>{/each}
        {#each r.photos as photo (photo)}<a href="/api/searches/photos/{photo}" target="_blank" rel="noopener"
            ><img
              class="my-1 h-24 rounded border border-rule"
              alt="Photo: {r.words || r.kind}"
              src="/api/searches/photos/{photo}" /></a
          >{/each}
        <span class="quiet">{r.by}{r.taken_back ? `, taken back by ${r.taken_back}` : ''}</span>
        {#if writable && !r.taken_back}<button class="button plain small" onclick={() => void takeBack(r.key)}>Take back</button
          >{/if}
      </li>
    {/each}
  </ul>
{:else}<p class="quiet m-0">Nothing was reported yet.</p>{/if}
