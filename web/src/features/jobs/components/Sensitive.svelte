<!-- Water, houses, paths, hives: what a spraying job stays off, how far, and what that leaves out in the wind of the plan. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { call } from '$shared/api/call';
  import type { Schemas } from '$shared/api/client';
  import { fromShown, show, toShown, unitOf } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import { mixOf, sensitiveOf, siteOf, type JobDraft } from '../state/draft.svelte';

  let { draft, writable }: { draft: JobDraft; writable: boolean } = $props();
  type Row = Required<Schemas['SensitiveIO']>;
  const job = $derived(draft.job!);
  const off = $derived(!writable);
  const rows = $derived(siteOf(job).sensitive as Row[]);
  const kept = $derived(draft.plan?.kept ?? []);
  const keepOuts = $derived(job.keep_outs.filter((k) => k.ring.length > 2));
  const MOST = 60;

  const set = (list: Row[]) => draft.change({ site: { ...siteOf(job), sensitive: list } });
  const change = (k: number, part: Partial<Row>) => set(rows.map((r, n) => (n === k ? { ...r, ...part } : r)));
  function remove(k: number) {
    set(rows.filter((_, n) => n !== k));
    notices.say('Deleted', { undo: () => draft.undo() });
  }
  const at = (k: number, key: string) => draft.problemAt(`site.sensitive.${k}.${key}`);
  const tableText = (r: Row) =>
    r.table.map(([w, d]) => `${tidy(toShown(w, 'm_s', session.units))} ${tidy(toShown(d, 'm', session.units))}`).join('\n');
  let near = $state.raw<Schemas['SensitiveNear'][]>([]);
  $effect(() => {
    void call('GET', '/api/jobs/{job_id}/sensitive', { params: { path: { job_id: job.id } } }).then(({ data, problem }) => {
      near = data ?? near;
      if (problem) notices.say(problem.detail, { bad: true });
    });
  });
  const offered = $derived(near.filter((n) => !rows.some((r) => r.name === n.name && r.ring.length === n.place.ring.length)));
  const products = $derived(mixOf(job).items.length);

  async function labelTable(k: number) {
    const { data, problem } = await call('GET', '/api/jobs/{job_id}/mix', { params: { path: { job_id: job.id } } });
    if (problem) notices.say(problem.detail, { bad: true });
    else if (!data!.label_table.length)
      notices.say('No label of the mix has a table for these droplets. Enter it with the product, and the droplets above.', {
        bad: true,
      });
    else change(k, { table: data!.label_table as [number, number][] });
  }
  async function strips() {
    const { data, problem } = await call('POST', '/api/jobs/{job_id}/strips', { params: { path: { job_id: job.id } } });
    if (problem) notices.say(problem.detail, { bad: true });
    else await goto(`/jobs/${data!.id}`);
  }
  const tidy = (v: number) => String(Number(v.toFixed(2)));
  function tableOf(text: string): [number, number][] {
    const pairs = text.split(/\n+/).map((line) =>
      line
        .trim()
        .split(/[\s;]+/)
        .map((v) => Number(v.replace(',', '.'))),
    );
    return pairs
      .filter((p) => p.length >= 2 && p.every(Number.isFinite))
      .map(([w, d]) => [fromShown(w!, 'm_s', session.units), fromShown(d!, 'm', session.units)]);
  }
</script>

<div class="mt-2 flex flex-col gap-1 text-small" data-testid="sensitive">
  <b>Sensitive places</b>
  <span class="quiet">Water, houses, paths, hives, other crops. The label and local law decide on the distances.</span>
  {#if draft.problemAt('site.sensitive') && !rows.some((_, k) => draft.problemAt(`site.sensitive.${k}`))}
    <p class="problem m-0" role="alert">{draft.problemAt('site.sensitive')}</p>
  {/if}
  {#each rows as r, k (k)}
    <div class="flex items-center justify-between gap-2 border-t border-rule pt-1">
      <input
        class="input"
        aria-label="Name of sensitive place {k + 1}"
        placeholder="stream, houses, hives …"
        value={r.name}
        maxlength="60"
        disabled={off}
        onchange={(e) => change(k, { name: e.currentTarget.value.trim() })} />
      <button
        class="button plain"
        aria-label="Delete {r.name || `sensitive place ${k + 1}`}"
        disabled={off}
        onclick={() => remove(k)}>×</button>
    </div>
    <Choice
      label="Keep off"
      value={r.rule}
      disabled={off}
      options={[
        { value: 'wind', label: 'downwind only' },
        { value: 'always', label: 'always' },
      ]}
      onchange={(v) => change(k, { rule: v as 'wind' })} />
    {#if !r.table.length}
      <NumberField
        label="Distance"
        quantity="m"
        value={r.distance_m}
        disabled={off}
        onchange={(v) => change(k, { distance_m: v })}
        problem={at(k, 'distance_m')} />
    {/if}
    {#if r.rule === 'wind'}
      <NumberField
        label="Within, to either side of the wind"
        unit="°"
        digits={0}
        value={r.within_deg}
        disabled={off}
        onchange={(v) => change(k, { within_deg: v })}
        problem={at(k, 'within_deg')} />
    {/if}
    <label class="block"
      >By a table of the label: wind up to {unitOf('m_s', session.units)}, distance {unitOf('m', session.units)}<textarea
        class="input w-full"
        rows={Math.max(1, r.table.length + 1)}
        value={tableText(r)}
        disabled={off}
        onchange={(e) => change(k, { table: tableOf(e.currentTarget.value) })}></textarea
      ></label>
    {#if products}<button class="button plain small self-start" disabled={off} onclick={() => labelTable(k)}
        >Take the table of the labels</button
      >{/if}
    {#if at(k, 'table') || at(k, 'ring')}<p class="problem m-0" role="alert">{at(k, 'table') || at(k, 'ring')}</p>{/if}
  {/each}
  {#each kept as one (one.name)}
    <p class="m-0" data-testid="kept-clear">
      <b>{show(one.area_ha, 'ha', session.units, 2)}</b> kept clear of {one.name}: {one.why}.
    </p>
  {:else}{#if rows.length && draft.plan}<p class="m-0">In the wind of this plan nothing is kept clear.</p>{/if}{/each}
  {#if kept.length && rows.some((r) => r.rule === 'wind')}<button class="button small self-start" disabled={off} onclick={strips}
      >Make a job of these strips, for another wind</button
    >{/if}
  <div class="flex flex-wrap gap-2">
    <button class="button small" disabled={off || rows.length >= MOST} onclick={() => (draft.outlining = 'sensitive-line')}
      >Draw a line</button>
    <button class="button small" disabled={off || rows.length >= MOST} onclick={() => (draft.outlining = 'sensitive-outline')}
      >Draw an outline</button>
    {#each offered.slice(0, 6) as n, k (k)}
      <button
        class="button small"
        disabled={off || rows.length >= MOST}
        title="known from {n.job}"
        onclick={() => set([...rows, n.place as Row])}>{n.name || 'Sensitive place'}, of {n.job}</button>
    {/each}
    {#each keepOuts.slice(0, 6) as k, n (n)}
      <button
        class="button small"
        disabled={off || rows.length >= MOST}
        onclick={() => set([...rows, sensitiveOf(k.ring as [number, number][], true, k.name.slice(0, 60)) as Row])}
        >{k.name || `Keep-out ${n + 1}`}</button>
    {/each}
  </div>
</div>
