<!-- Ground control and check points: placed by rule or from a file, listed in walking order, out as CSV and GeoJSON. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import { fileBody } from '$shared/api/file';
  import { download } from '$shared/api/download';
  import type { Schemas } from '$shared/api/client';
  import { show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import Why from '$shared/working/Why.svelte';
  import { siteOf, type JobDraft } from '../state/draft.svelte';

  let { draft, writable }: { draft: JobDraft; writable: boolean } = $props();
  type Point = Schemas['ControlIO'];
  const job = $derived(draft.job!);
  const site = $derived(siteOf(job));
  const points = $derived(site.control as Point[]);
  const change = (part: Partial<typeof site>) => draft.change({ site: { ...site, ...part } });
  let view = $state.raw<Schemas['ControlOut'] | null>(null);
  let problem = $state('');
  let busy = $state(false);
  let input: HTMLInputElement | undefined = $state();

  $effect(() => {
    void draft.plan;
    if (!job.areas.length || draft.state !== 'saved') return;
    void call('GET', '/api/jobs/{job_id}/control', { params: { path: { job_id: job.id } } }).then(({ data }) => (view = data));
  });

  function put(found: Schemas['ControlPointOut'][], words: string) {
    change({ control: found as Point[] });
    notices.say(words, { undo: () => draft.undo() });
  }
  async function propose() {
    busy = true;
    const { data, problem: bad } = await call('GET', '/api/jobs/{job_id}/control/proposed', {
      params: { path: { job_id: job.id } },
    });
    busy = false;
    problem = bad?.detail ?? '';
    if (data) put(data, `${data.length} points placed`);
  }
  async function take(list: FileList | null | undefined) {
    const file = list?.[0];
    if (!file) return;
    const { data, problem: bad } = await call('POST', '/api/jobs/control', fileBody(file));
    problem = bad?.detail ?? '';
    if (data) put(data, `${data.length} points of ${file.name}`);
  }
  async function save(kind: 'csv' | 'geojson') {
    const failed = await download(`/api/jobs/${job.id}/control.${kind}`);
    if (failed) notices.say(failed, { bad: true });
  }
  function remove(k: number) {
    change({ control: points.filter((_, n) => n !== k) });
    notices.say('Deleted', { undo: () => draft.undo() });
  }
  const span = (of: number[]) => of.map((v) => show(v, 'cm', session.units)).join(' to ');
</script>

<b class="mt-2">Control on the ground</b>
{#if problem}<p class="problem m-0" role="alert">{problem}</p>{/if}
{#if points.length}
  <ol class="m-0 list-none p-0" data-testid="control">
    {#each points as p, k (k)}
      <li class="grid grid-cols-[44px_1fr_32px] items-center gap-1 border-b border-rule">
        <button
          class="min-h-touch text-left font-semibold underline"
          title="Show on the map"
          onclick={() => (draft.lookAt = p.at as [number, number])}>{p.name}</button>
        <span
          >{p.check ? 'check' : 'control'}{p.why ? `, ${p.why}` : ''}
          <span class="quiet block text-note tabular-nums">{p.at[1]!.toFixed(6)}, {p.at[0]!.toFixed(6)}</span></span>
        <button class="button plain !px-1" aria-label="Delete {p.name}" disabled={!writable} onclick={() => remove(k)}>×</button>
      </li>
    {/each}
  </ol>
  {#if view}
    <p class="m-0" data-testid="control-words">
      {view.control_count} control, {view.check_count} check; {#if view.farthest_m != null}no place farther than {show(
          view.farthest_m,
          'm',
          session.units,
        )} from control,{/if}
      {show(view.walk_m, 'km', session.units)} to walk, as the crow flies.
      {#if view.check_count < view.stated_count}To state an accuracy by a published standard takes {view.stated_count} check points.{/if}
      {#if view.outside.length}<span class="text-madder">Outside the area: {view.outside.join(', ')}.</span>{/if}
    </p>
  {/if}
{:else}<span class="quiet">None. Corners, middle, high and low ground, none far from the nearest; some held back as checks.</span
  >{/if}
<Choice
  label="Positions corrected"
  value={site.correction}
  disabled={!writable}
  options={[
    { value: 'none', label: 'not' },
    { value: 'base', label: 'by a base of our own' },
    { value: 'network', label: 'by a network' },
  ]}
  onchange={(v) => change({ correction: v as 'none' })} />
{#if site.correction !== 'none'}
  <NumberField
    label={site.correction === 'base' ? 'Base away' : 'Nearest station away'}
    quantity="km"
    value={site.base_m}
    disabled={!writable}
    onchange={(v) => change({ base_m: Math.max(0, v) })}
    problem={draft.problemAt('site.base_m')} />
  <label class="mt-1 block"
    >Base or network<input
      class="input w-full"
      value={site.receiver}
      disabled={!writable}
      onchange={(e) => change({ receiver: e.currentTarget.value.trim().slice(0, 120) })} /></label>
{/if}
{#if view?.plan_m.length && view.working}
  <p class="m-0" data-testid="accuracy">
    Expect <Why text={span(view.plan_m)} name="accuracy in plan" given={view.working} /> in plan, {span(view.height_m)} in height: {view.rests_on}.
    A rule of thumb, common practice.
  </p>
{/if}
<div class="flex flex-wrap gap-2">
  <button class="button" disabled={!writable || busy || !job.areas.length} onclick={propose}
    >{busy ? 'Placing …' : points.length ? 'Place anew' : 'Place points'}</button>
  <button class="button" disabled={!writable} onclick={() => input?.click()}>From file</button>
  {#if points.length}<button class="button" onclick={() => save('csv')}>CSV</button><button
      class="button"
      onclick={() => save('geojson')}>GeoJSON</button
    >{/if}
</div>
<input
  bind:this={input}
  class="hidden"
  type="file"
  aria-label="File of control points"
  accept=".csv,.txt,.geojson,.json"
  onchange={(e) => take(e.currentTarget.files).then(() => (input!.value = ''))} />
