<!-- What is sprayed on which crop: products in the order in which they are filled, how they are mixed, and what a load takes. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import type { Schemas } from '$shared/api/client';
  import { amountText } from '$shared/format/amounts';
  import { show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import { mixOf, type JobDraft } from '../state/draft.svelte';

  interface Props {
    draft: JobDraft;
    fleet: Schemas['FleetOut'] | null;
    writable: boolean;
  }
  let { draft, fleet, writable }: Props = $props();
  const job = $derived(draft.job!);
  const off = $derived(!writable);
  const mix = $derived(mixOf(job));
  const products = $derived((fleet?.products ?? []).filter((p) => !p.archived || mix.items.some((i) => i.product_id === p.id)));
  const free = $derived(products.filter((p) => !p.archived && !mix.items.some((i) => i.product_id === p.id)));
  const MOST = 12;

  let sheet = $state.raw<Schemas['MixSheetOut'] | null>(null);
  let failed = $state('');
  let turn = 0;
  // The sheet follows the plan: it is asked for again whenever the job was saved.
  $effect(() => {
    if (draft.state !== 'saved') return;
    void job.version;
    const mine = ++turn;
    void call('GET', '/api/jobs/{job_id}/mix', { params: { path: { job_id: job.id } } }).then(({ data, problem }) => {
      if (mine !== turn) return;
      sheet = data;
      failed = problem?.detail ?? '';
    });
  });
  const set = (part: Partial<typeof mix>) => draft.change({ mix: { ...mix, ...part } });
  const setItem = (k: number, part: Partial<(typeof mix.items)[number]>) =>
    set({ items: mix.items.map((x, n) => (n === k ? { ...x, ...part } : x)) });
  function remove(k: number) {
    set({ items: mix.items.filter((_, n) => n !== k) });
    notices.say('Deleted', { undo: () => draft.undo() });
  }
  function move(k: number, by: number) {
    const items = [...mix.items];
    const [one] = items.splice(k, 1);
    items.splice(k + by, 0, one!);
    set({ items });
  }
  const productOf = (id: string) => products.find((p) => p.id === id);
  const inOrder = $derived(
    sheet && sheet.products.length === mix.items.length && sheet.products.some((p, k) => p.name !== sheet!.usual[k]),
  );
  function usual() {
    const rank = (id: string) => sheet!.usual.indexOf(productOf(id)?.name ?? '');
    set({ items: [...mix.items].sort((a, b) => rank(a.product_id) - rank(b.product_id)) });
  }
  const per = (basis: string) => (basis === '100_l' ? '100 L' : 'ha');
  const at = (field: string) => (sheet?.field === field ? sheet.problem : '') || draft.problemAt(field);
</script>

<div class="flex flex-col gap-1 pt-1 text-small" data-testid="mix">
  <div class="grid grid-cols-2 gap-2">
    <TextField label="Crop" value={mix.crop} maxlength={60} disabled={off} onchange={(v) => set({ crop: v.trim() })} />
    <TextField
      label="Harvest, if known"
      type="date"
      value={mix.harvest_on}
      disabled={off}
      onchange={(v) => set({ harvest_on: v })}
      problem={at('mix.harvest_on')} />
  </div>
  <b class="mt-2">Products, in the order of filling</b>
  {#each mix.items as item, k (item.product_id)}
    {@const p = productOf(item.product_id)}
    <div class="border-t border-rule pt-1" data-testid="mix-item">
      <div class="flex items-center gap-1">
        <b class="mr-auto min-w-0 break-words">{k + 1}. {p?.name ?? 'no longer there'}</b>
        <button class="button plain" aria-label="Fill {p?.name} earlier" disabled={off || k === 0} onclick={() => move(k, -1)}
          >↑</button>
        <button
          class="button plain"
          aria-label="Fill {p?.name} later"
          disabled={off || k === mix.items.length - 1}
          onclick={() => move(k, 1)}>↓</button>
        <button class="button plain" aria-label="Delete {p?.name}" disabled={off} onclick={() => remove(k)}>×</button>
      </div>
      <NumberField
        label={item.rate_amount === null || item.rate_amount === undefined ? 'Rate, of its label' : 'Rate'}
        unit="{p?.unit ?? ''}/{per(item.rate_amount == null ? (p?.basis ?? 'ha') : item.basis!)}"
        digits={4}
        value={item.rate_amount ?? p?.rate_amount ?? null}
        disabled={off}
        onchange={(v) => setItem(k, { rate_amount: v, basis: item.rate_amount == null ? (p?.basis ?? 'ha') : item.basis })}
        problem={at(`mix.items.${k}.rate_amount`)} />
      {#if item.rate_amount !== null && item.rate_amount !== undefined && p?.rate_amount != null}
        <button
          class="button plain small"
          disabled={off}
          onclick={() => setItem(k, { rate_amount: null, basis: p.basis as 'ha' })}>Take the rate of the label</button>
      {/if}
      {#if at(`mix.items.${k}.product_id`)}<p class="problem m-0" role="alert">{at(`mix.items.${k}.product_id`)}</p>{/if}
    </div>
  {:else}<p class="quiet m-0">
      {products.length ? 'None yet: choose one below.' : 'None yet. Enter your products under Fleet, from their labels.'}
    </p>{/each}
  <div class="flex flex-wrap items-center gap-2">
    {#if free.length && mix.items.length < MOST}
      <select
        class="input min-w-0 flex-1"
        aria-label="Add a product"
        value=""
        disabled={off}
        onchange={(e) => {
          const id = e.currentTarget.value;
          e.currentTarget.value = '';
          if (id) set({ items: [...mix.items, { product_id: id, rate_amount: null, basis: 'ha' }] });
        }}>
        <option value="">Add a product …</option>
        {#each free as p (p.id)}<option value={p.id}>{p.name}</option>{/each}
      </select>
    {/if}
    {#if inOrder}<button class="button small" disabled={off} onclick={usual}>Usual order</button>{/if}
    <a class="button small" href="/fleet?of=products">Products</a>
    <a class="button small" href="/store">Store</a>
  </div>
  {#if at('mix.items')}<p class="problem m-0" role="alert">{at('mix.items')}</p>{/if}
  <div class="mt-2 flex flex-col gap-1">
    <Choice
      label="Mixed"
      value={mix.vessel ? (mix.evened ? 'even' : 'full') : 'tank'}
      disabled={off}
      options={[
        { value: 'tank', label: 'in the tank' },
        { value: 'even', label: 'vessel, loads alike' },
        { value: 'full', label: 'vessel, last smaller' },
      ]}
      onchange={(v) => set({ vessel: v !== 'tank', evened: v !== 'full' })} />
    {#if mix.vessel}
      <NumberField
        label="Vessel"
        quantity="l"
        digits={0}
        value={mix.vessel_l}
        disabled={off}
        onchange={(v) => set({ vessel_l: v })}
        problem={at('mix.vessel_l')} />
    {/if}
    <NumberField
      label="Stays in pump and lines"
      quantity="l"
      digits={2}
      value={mix.lines_l}
      disabled={off}
      onchange={(v) => set({ lines_l: v })}
      problem={draft.problemAt('mix.lines_l') || at('work.lines_l')} />
    <NumberField
      label="Mixing and filling a load"
      unit="min"
      scale={1 / 60}
      value={mix.fill_s}
      disabled={off}
      onchange={(v) => set({ fill_s: v })}
      problem={draft.problemAt('mix.fill_s')} />
  </div>
  {#if failed}<p class="problem m-0" role="alert">{failed}</p>{/if}
  {#if sheet && !sheet.problem && mix.items.length}
    <p class="m-0 mt-2" data-testid="mix-sum">
      <b>{sheet.loads.length} {sheet.loads.length === 1 ? 'load' : 'loads'}, {show(sheet.mix_l, 'l', session.units)}</b>:
      {sheet.products.map((p) => `${amountText(p.total_amount, p.unit)} ${p.name}`).join(', ')}.
    </p>
  {:else if sheet?.problem}<p class="quiet m-0 mt-2">No mix sheet yet: {sheet.problem}</p>{/if}
  {#each sheet?.findings ?? [] as f, k (k)}
    <p class="m-0 {f.verdict === 'no' ? 'problem' : ''}" data-testid="mix-finding">
      {f.verdict === 'no' ? 'No: ' : '! '}{f.words}
    </p>
  {/each}
  {#if sheet && !sheet.problem}<a class="button mt-1" href="/jobs/{job.id}/mix">Mix sheet</a>{/if}
</div>
