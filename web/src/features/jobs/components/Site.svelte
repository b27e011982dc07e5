<!-- What stands around: fallback landing places, obstacles, other homes and what each would take. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { call } from '$shared/api/call';
  import { type Schemas } from '$shared/api/client';
  import { hours } from '$shared/format/units';
  import { notices } from '$shared/ui/notices.svelte';
  import { siteOf, type JobDraft } from '../state/draft.svelte';
  import Control from './Control.svelte';

  let { draft, writable }: { draft: JobDraft; writable: boolean } = $props();
  type Place = [number, number];
  const job = $derived(draft.job!);
  const site = $derived(siteOf(job));
  let homes = $state.raw<Schemas['HomesOut'] | null>(null);
  let asked = $state('');
  let busy = $state(false);
  const middle = $derived((job.home ?? job.areas[0]?.ring[0] ?? [0, 0]) as Place);
  const change = (part: Partial<typeof site>) => draft.change({ site: { ...site, ...part } });

  function number(text: string): number | null {
    const v = Number(text.replace(',', '.'));
    return text.trim() === '' || !Number.isFinite(v) ? null : v;
  }
  function edit<T extends object>(list: T[], k: number, part: Partial<T>): T[] {
    return list.map((x, n) => (n === k ? { ...x, ...part } : x));
  }
  const moved = (at: number[], axis: 0 | 1, text: string): Place => {
    const v = number(text);
    const next: Place = [at[0]!, at[1]!];
    if (v !== null) next[axis] = v;
    return next;
  };
  function remove(list: 'fallbacks' | 'obstacles' | 'homes', k: number) {
    change({ [list]: site[list].filter((_, n) => n !== k) });
    notices.say('Deleted', { undo: () => draft.undo() });
  }
  async function compare() {
    busy = true;
    const { data, problem } = await call('GET', '/api/jobs/{job_id}/homes', { params: { path: { job_id: job.id } } });
    busy = false;
    homes = data;
    asked = problem?.detail ?? '';
  }
  let splitting = $state(false);
  async function split() {
    splitting = true;
    const { data, problem } = await call('POST', '/api/jobs/{job_id}/split', { params: { path: { job_id: job.id } } });
    splitting = false;
    asked = problem?.detail ?? '';
    if (!data) return;
    const whole = job.id;
    const back = async () => {
      await call('POST', '/api/jobs/{job_id}/restore', { params: { path: { job_id: whole } } });
      for (const made of data) await call('DELETE', '/api/jobs/{job_id}', { params: { path: { job_id: made.id } } });
      await goto(`/jobs/${whole}`);
    };
    notices.say(`${data.length} jobs made: ${data.map((j) => j.letter).join(', ')}. This one is archived.`, {
      undo: () => void back(),
    });
    await goto('/jobs');
  }
  const better = (h: Schemas['HomeOut']) => {
    const now = homes?.homes[0];
    if (!now || h === now || h.sorties === null || now.sorties === null) return '';
    const fewer = now.sorties - h.sorties;
    const s = (now.total_s ?? 0) - (h.total_s ?? 0);
    if (fewer > 0) return `${fewer} sortie${fewer > 1 ? 's' : ''} fewer, ${hours(Math.abs(s))} ${s >= 0 ? 'less' : 'more'}`;
    return s > 20 ? `saves ${hours(s)}` : s < -20 ? `costs ${hours(-s)}` : 'the same';
  };
</script>

{#snippet place(name: string, at: number[], set: (at: Place) => void)}
  {#each [1, 0] as axis (axis)}
    <input
      class="input !px-1.5 text-small"
      inputmode="decimal"
      aria-label="{name}, {axis ? 'latitude' : 'longitude'}"
      value={at[axis]!.toFixed(6)}
      disabled={!writable}
      onchange={(e) => set(moved(at, axis as 0 | 1, e.currentTarget.value))} />
  {/each}
{/snippet}
<div class="flex flex-col gap-1 border-t border-rule pt-2 text-small" data-testid="site">
  <b>Fallback landing places</b>
  {#each site.fallbacks as f, k (k)}
    <div class="grid grid-cols-[1fr_1fr_1fr_32px] gap-1">
      <input
        class="input !px-1.5"
        aria-label="Fallback {k + 1}, name"
        value={f.name}
        disabled={!writable}
        onchange={(e) => change({ fallbacks: edit(site.fallbacks, k, { name: e.currentTarget.value.trim().slice(0, 60) }) })} />
      {@render place(`Fallback ${k + 1}`, f.at, (at) => change({ fallbacks: edit(site.fallbacks, k, { at }) }))}
      <button
        class="button plain !px-1"
        aria-label="Delete fallback {f.name}"
        disabled={!writable}
        onclick={() => remove('fallbacks', k)}>×</button>
    </div>
  {:else}<span class="quiet">None. Choose one that can be walked to, before take-off.</span>{/each}
  <button
    class="button self-start"
    disabled={!writable}
    onclick={() => change({ fallbacks: [...site.fallbacks, { name: `fallback ${site.fallbacks.length + 1}`, at: middle }] })}
    >Add a fallback at home</button>
  <b class="mt-2">Obstacles on ways home</b>
  {#each site.obstacles as o, k (k)}
    <div class="grid grid-cols-[1fr_1fr_1fr_32px] gap-1">
      <input
        class="input !px-1.5"
        aria-label="Obstacle {k + 1}, name"
        value={o.name}
        disabled={!writable}
        onchange={(e) => change({ obstacles: edit(site.obstacles, k, { name: e.currentTarget.value.trim().slice(0, 60) }) })} />
      {@render place(`Obstacle ${k + 1}`, o.at, (at) => change({ obstacles: edit(site.obstacles, k, { at }) }))}
      <button
        class="button plain !px-1"
        aria-label="Delete obstacle {o.name}"
        disabled={!writable}
        onclick={() => remove('obstacles', k)}>×</button>
      <span class="quiet self-center text-right">top, radius</span>
      <input
        class="input !px-1.5 text-right"
        inputmode="decimal"
        aria-label="Obstacle {k + 1}, top above the ground in metres"
        value={o.top_m}
        disabled={!writable}
        onchange={(e) => change({ obstacles: edit(site.obstacles, k, { top_m: number(e.currentTarget.value) ?? o.top_m }) })} />
      <input
        class="input !px-1.5 text-right"
        inputmode="decimal"
        aria-label="Obstacle {k + 1}, radius in metres"
        value={o.radius_m}
        disabled={!writable}
        onchange={(e) =>
          change({ obstacles: edit(site.obstacles, k, { radius_m: number(e.currentTarget.value) ?? o.radius_m }) })} />
      <span class="quiet self-center">m</span>
    </div>
  {:else}<span class="quiet">None entered. Masts, trees and lines between home and the farthest point belong here.</span>{/each}
  {#if draft.problemAt('obstacles')}<p class="problem m-0" role="alert">{draft.problemAt('obstacles')}</p>{/if}
  <button
    class="button self-start"
    disabled={!writable}
    onclick={() =>
      change({
        obstacles: [...site.obstacles, { name: `obstacle ${site.obstacles.length + 1}`, at: middle, radius_m: 5, top_m: 20 }],
      })}>Add an obstacle at home</button>
  {#if job.kind === 'mapping'}<Control {draft} {writable} />{/if}
  <b class="mt-2">Where to take off from</b>
  {#each site.homes as h, k (k)}
    <div class="grid grid-cols-[1fr_1fr_1fr_32px] gap-1">
      <input
        class="input !px-1.5"
        aria-label="Other home {k + 1}, name"
        value={h.name}
        disabled={!writable}
        onchange={(e) => change({ homes: edit(site.homes, k, { name: e.currentTarget.value.trim().slice(0, 60) }) })} />
      {@render place(`Other home ${k + 1}`, h.at, (at) => change({ homes: edit(site.homes, k, { at }) }))}
      <button class="button plain !px-1" aria-label="Delete home {h.name}" disabled={!writable} onclick={() => remove('homes', k)}
        >×</button>
    </div>
  {/each}
  <div class="flex gap-2">
    <button
      class="button"
      disabled={!writable || !job.home}
      onclick={() => change({ homes: [...site.homes, { name: `home ${site.homes.length + 2}`, at: middle }] })}
      >Add another</button>
    <button class="button" disabled={busy || !job.home} onclick={compare}>{busy ? 'comparing …' : 'Compare and propose'}</button>
  </div>
  {#if site.homes.length && job.areas.length > 1}<button
      class="button self-start"
      disabled={!writable || splitting || draft.state !== 'saved'}
      onclick={split}>{splitting ? 'splitting …' : 'Split into a job for each home'}</button
    >{/if}
  {#if asked}<p class="problem m-0" role="alert">{asked}</p>{/if}
  {#if homes}
    <ul class="m-0 list-none p-0" data-testid="homes">
      {#each homes.homes as h, k (k)}
        <li class="grid grid-cols-[1fr_auto] items-center gap-2 border-b border-rule py-1">
          <span
            ><b>{h.name}</b>
            {#if h.sorties === null}<span class="problem">{h.why_not}</span>{:else}{h.sorties} sorties, {hours(h.total_s ?? 0)}
              {#if better(h)}<span class="text-lichen">{better(h)}</span>{/if}{/if}</span>
          {#if k && h.sorties !== null}<button
              class="button"
              disabled={!writable}
              onclick={() => draft.change({ home: h.at as Place })}>Move home there</button
            >{/if}
        </li>
      {/each}
    </ul>
    {#if !homes.permitted}<p class="quiet m-0">
        The proposal lies on the area or up to 40 m beside it: check that you may stand there.
      </p>{/if}
  {/if}
</div>
