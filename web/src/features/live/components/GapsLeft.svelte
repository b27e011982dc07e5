<!-- What the sorties of a job left open, before the crew leaves the site: looked at, or flown at the end of the day. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import type { Schemas } from '$shared/api/client';
  import { notices } from '$shared/ui/notices.svelte';
  import { session } from '$shared/session.svelte';
  import { areaWords } from '$shared/format/units';

  interface Props {
    dayId: string;
    live: Schemas['LiveOut'];
    writable: boolean;
    onjoined: () => void;
  }
  let { dayId, live, writable, onjoined }: Props = $props();
  let left = $state.raw<Schemas['DayGaps'][]>([]);
  let busy = $state('');
  let asked = $state('');
  let waved = $state.raw<string[]>([]);

  // Jobs of which everything has landed; asked for again whenever that changes.
  const over = $derived.by(() => {
    const waits = live.flights.filter((f) => f.word === 'planned' || f.word === 'airborne').map((f) => f.job);
    const jobs = live.flights.map((f) => f.job).filter((job, n, all) => job && !waits.includes(job) && all.indexOf(job) === n);
    return `${jobs.sort().join()} ${live.flights.filter((f) => f.word === 'landed').length}`;
  });
  $effect(() => {
    if (over.startsWith(' ') || live.rehearsal_of) {
      left = [];
      return;
    }
    void call('GET', '/api/days/{day_id}/gaps', { params: { path: { day_id: dayId } } }).then(({ data, problem }) => {
      asked = problem?.detail ?? '';
      if (data) left = data;
    });
  });
  const shown = $derived(left.filter((g) => !waved.includes(g.job_id)));

  async function fly(g: Schemas['DayGaps']) {
    busy = g.job_id;
    const path = { path: { job_id: g.job_id } };
    const seen = await call('GET', '/api/jobs/{job_id}/as-flown', { params: { ...path, query: { day_id: dayId } } });
    const view = seen.data?.flown;
    if (!view) {
      busy = '';
      return notices.say(seen.problem?.detail ?? seen.data?.problem ?? 'Nothing to fly', { bad: true });
    }
    const body = { numbers: view.gaps.map((x) => x.number), mark: view.mark, day_id: dayId, join: dayId };
    const { data, problem } = await call('POST', '/api/jobs/{job_id}/gaps', { params: path, body });
    busy = '';
    if (!data) return notices.say(problem!.detail, { bad: true });
    waved = [...waved, g.job_id];
    notices.say(`${data.name}: ${data.joined.join(', ')} at the end of the day`);
    onjoined();
  }
</script>

{#if asked}<p class="mx-6 my-1 text-small">What was left open is not known: {asked}</p>{/if}
{#each shown as g (g.job_id)}
  <section
    class="mx-6 my-2 border-y-2 border-madder bg-wash-madder px-4 py-3"
    data-testid="gaps-left"
    aria-label="Left open: {g.job}">
    <p class="m-0 text-title">
      <b class="[overflow-wrap:anywhere]">{g.job}</b> has landed:
      {g.gaps === 1 ? 'one gap' : `${g.gaps} gaps`}, {areaWords(g.area_m2, session.units)} of
      {areaWords(g.ground_m2, session.units)}{g.sure ? '' : ', by an estimate from landings'}.
    </p>
    <div class="mt-2 flex flex-wrap gap-2">
      {#if writable && !live.closed}<button class="button dark !min-h-tap" disabled={!!busy} onclick={() => fly(g)}
          >{busy === g.job_id ? 'Making lines …' : 'Fly the gaps now'}</button
        >{/if}
      <a class="button !min-h-tap" href="/jobs/{g.job_id}?flown&day={dayId}">Look at them</a>
      <button class="button !min-h-tap" onclick={() => (waved = [...waved, g.job_id])}>Not now</button>
    </div>
  </section>
{/each}
