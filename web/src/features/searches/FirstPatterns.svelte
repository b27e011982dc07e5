<!-- The first pattern: when the first aircraft can be up, in the largest print, and what each pattern takes and sees. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import type { Problem, Schemas } from '$shared/api/client';
  import { clockOf, hours, percent, show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import Failed from '$shared/ui/Failed.svelte';

  interface Props {
    searchId: string;
    version: number;
    writable: boolean;
    onlook: (path: [number, number][]) => void;
    onlaunched: (dayId: string) => void;
  }
  let { searchId, version, writable, onlook, onlaunched }: Props = $props();
  let patterns = $state.raw<Schemas['PatternOut'][] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let refusal = $state('');
  let chosen = $state('');
  let busy = $state(false);
  const params = $derived({ params: { path: { search_id: searchId } } });
  const able = $derived((patterns ?? []).filter((p) => !p.problem));
  const one = $derived(able.find((p) => p.pattern === chosen) ?? able[0] ?? null);

  $effect(() => {
    void version;
    let gone = false;
    void call('GET', '/api/searches/{search_id}/first', params).then((answer) => {
      if (gone) return;
      problem = answer.problem;
      if (answer.data) patterns = answer.data;
    });
    return () => (gone = true);
  });
  $effect(() => onlook((one?.path ?? []) as [number, number][]));

  async function launch() {
    if (!one) return;
    busy = true;
    const { data, problem: bad } = await call('POST', '/api/searches/{search_id}/first', {
      ...params,
      body: { pattern: one.pattern as 'square' },
    });
    busy = false;
    refusal = bad?.detail ?? '';
    if (data?.day_id) onlaunched(data.day_id);
  }
</script>

<h2 class="mt-3">First in the air</h2>
<Failed of={{ problem, load: async () => {} }} />
{#if patterns === null && !problem}<p class="quiet" role="status">Laying patterns …</p>{/if}
{#if one}
  <div class="my-2 border-2 border-ink px-4 py-3" data-testid="first-launch">
    <span class="block text-lead"
      >First launch{#if one.shut}, <b class="text-madder">not within its limits</b>{/if}</span>
    <span class="sharp block {one.shut ? 'quiet' : ''} !text-clock leading-none tabular-nums"
      >{clockOf(one.launch_at ?? '')}</span>
    <span class="block text-small"
      >{one.words}, {one.packs?.[0] ?? 'no pack'} fitted and the launch list gone through; back {clockOf(
        new Date(Date.parse(one.launch_at ?? '') + one.first_s * 1000).toISOString(),
      )}</span>
    {#if one.note}<span class="mt-1 block border-l-3 border-copper pl-2 text-small">{one.note}</span>{/if}
    {#if writable}<button class="button dark mt-2 !min-h-tap w-full" disabled={busy} onclick={() => void launch()}
        >Begin: {one.words}</button
      >{/if}
    {#if refusal}<p class="problem m-0 mt-1" role="alert">{refusal}</p>{/if}
  </div>
{/if}
<ul class="m-0 flex list-none flex-col p-0" aria-label="Patterns">
  {#each patterns ?? [] as p (p.pattern)}
    <li class="border-t border-rule">
      <button
        class="block min-h-tap w-full py-1.5 text-left"
        disabled={!!p.problem}
        aria-pressed={one?.pattern === p.pattern}
        onclick={() => (chosen = p.pattern)}>
        <b>{one?.pattern === p.pattern ? '● ' : ''}{p.words}</b>
        {#if p.problem}<span class="quiet block text-small">{p.problem}</span>
        {:else}<span class="block text-small"
            >{show(p.spacing_m, 'm', session.units, 0)} apart, {hours(p.time_s)}, {p.sorties} sortie{p.sorties > 1 ? 's' : ''} on {p.packs?.join(
              ', ',
            )}; <span class="whitespace-nowrap">POD {percent(p.detection_frac)}, POS {percent(p.success_frac)}</span></span
          >{/if}
      </button>
    </li>
  {/each}
</ul>
