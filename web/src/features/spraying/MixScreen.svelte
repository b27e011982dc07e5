<!-- The mix sheet of a job, large enough for the mixing place: each load with water and products in the order of filling. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import { download } from '$shared/api/download';
  import { amountText } from '$shared/format/amounts';
  import { show } from '$shared/format/units';
  import { resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import Why from '$shared/working/Why.svelte';

  let { id }: { id: string } = $props();
  // svelte-ignore state_referenced_locally
  const path = { params: { path: { job_id: id } } };
  const asked = resource(() => call('GET', '/api/jobs/{job_id}/mix', path));
  const sheet = $derived(asked.value);
  const done = $state<Record<string, boolean>>({});
  async function save() {
    const failed = await download(`/api/jobs/${id}/mix.pdf`);
    if (failed) notices.say(failed, { bad: true });
  }
  const after = (p: NonNullable<typeof sheet>['products'][number]) =>
    [
      p.reentry_h ? `no entry for ${p.reentry_h} h` : '',
      p.rainfast_h ? `no rain for ${p.rainfast_h} h` : '',
      p.before_harvest_days ? `${p.before_harvest_days} days before harvest` : '',
    ]
      .filter(Boolean)
      .join(', ');
</script>

<svelte:head><title>Mix sheet · Gentle Quarry</title></svelte:head>

<div class="mx-auto max-w-286 px-6 py-5 max-hand:px-4">
  <Failed of={asked} />
  {#if sheet}
    <div class="mb-3 flex flex-wrap items-end gap-3">
      <div class="mr-auto min-w-0">
        <h1>Mix sheet {sheet.letter}: {sheet.job}</h1>
        {#if !sheet.problem}<p class="quiet m-0">
            {sheet.crop || 'crop not entered'}, {show(sheet.rate_l_ha, 'l_ha', session.units)}, {show(
              sheet.area_ha,
              'ha',
              session.units,
              2,
            )} under the swath
          </p>{/if}
      </div>
      <a class="button no-print" href="/jobs/{id}">Job</a>
      <button class="button no-print" onclick={() => window.print()}>Print</button>
      <button class="button dark no-print" disabled={!!sheet.problem} onclick={save}>PDF</button>
    </div>
    {#if sheet.problem}
      <div class="rounded border-2 border-madder bg-wash-madder p-4 text-lead" role="alert">
        <b>No mix sheet yet.</b>
        {sheet.problem}
        <a href="/jobs/{id}">Open the job</a>
      </div>
    {:else}
      {#each sheet.findings as f, k (k)}
        <p class="m-0 mb-1 text-lead {f.verdict === 'no' ? 'problem font-semibold' : ''}" data-testid="mix-finding">
          {f.verdict === 'no' ? 'No: ' : '! '}{f.words}
        </p>
      {/each}
      {#each sheet.products.filter((p) => p.clothing) as p (p.product_id)}
        <p class="m-0 mb-1 text-lead"><b>{p.name}:</b> {p.clothing}</p>
      {/each}
      <p class="my-3 text-title" data-testid="mix-sum">
        <b
          >{sheet.loads.length}
          {sheet.loads.length === 1 ? 'load' : 'loads'}, <Why
            text={show(sheet.mix_l, 'l', session.units)}
            name="litres to mix"
            ask={() =>
              call('GET', '/api/jobs/{job_id}/mix/working', { params: { ...path.params, query: { key: 'mix_l' } } })} /></b
        >{#if sheet.lines_l}, of which {show(sheet.lines_l, 'l', session.units)} stay in pump and lines{/if}:
        {sheet.products.map((p) => `${amountText(p.total_amount, p.unit)} ${p.name}`).join(', ') || 'water alone'}
      </p>
      <div class="grid grid-cols-[repeat(auto-fill,minmax(min(100%,440px),1fr))] gap-5">
        {#each sheet.loads as load (load.number)}
          <section class="break-inside-avoid border-line border-ink bg-sheet p-4" data-testid="load">
            <h2 class="!mb-1 !text-head">Load {load.number} of {sheet.loads.length}: {show(load.load_l, 'l', session.units)}</h2>
            <p class="quiet m-0 mb-2 text-lead">
              for {load.sorties.join(', ')}{#if load.number === 1 && sheet.lines_l}; {show(sheet.lines_l, 'l', session.units)} of it
                for pump and lines{/if}
            </p>
            <ol class="m-0 list-none p-0 text-head">
              {#each [{ name: 'Water, about half', text: show(load.water_l / 2, 'l', session.units), k: -1 }, ...sheet.products.map( (p, k) => ({ name: p.name, text: amountText(load.amounts[k]!, p.unit), k }) ), { name: `Water, up to ${show(load.load_l, 'l', session.units)}`, text: show(load.water_l / 2, 'l', session.units), k: -2 }] as row, nth (nth)}
                <li class="flex items-center gap-3 border-b border-rule py-1.5">
                  <label class="flex min-h-tap min-w-0 flex-1 items-center gap-3"
                    ><input type="checkbox" class="size-7 shrink-0" bind:checked={done[`${load.number}.${nth}`]} /><span
                      class="min-w-0 break-words">{nth + 1}. {row.name}</span
                    ></label>
                  <b class="whitespace-nowrap tabular-nums"
                    >{#if row.k >= 0}<Why
                        text={row.text}
                        name={`${row.name} in load ${load.number}`}
                        ask={() =>
                          call('GET', '/api/jobs/{job_id}/mix/working', {
                            params: { ...path.params, query: { key: `load.${load.number}.${row.k}` } },
                          })} />{:else}{row.text}{/if}</b>
                </li>
              {/each}
            </ol>
          </section>
        {/each}
      </div>
      <div class="mt-4 text-lead">
        {#each sheet.products as p (p.product_id)}
          <p class="m-0">
            <b>{p.name}</b>, {p.form}{#if p.from_batches.length}, batch {p.from_batches.join(', then ')}{/if}{#if p.short_amount}:
              <span class="problem">the store is short of {amountText(p.short_amount, p.unit)}</span>{/if}{#if after(p)}. After
              spraying: {after(p)}{/if}.
          </p>
        {/each}
      </div>
      <p class="quiet mt-4">
        Arithmetic from what was entered. The label of each product takes precedence, also for the order of filling; so do local
        law and the maker's manual.
      </p>
    {/if}
  {:else if !asked.problem}<p class="quiet" role="status">Looking …</p>{/if}
</div>
