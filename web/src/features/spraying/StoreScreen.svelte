<!-- The store: what is left of each batch, when it expires, what came and went. -->
<script lang="ts">
  import { Dialog } from 'bits-ui';
  import { call } from '$shared/api/call';
  import type { Problem, Schemas } from '$shared/api/client';
  import { amountText } from '$shared/format/amounts';
  import { date, shortDate } from '$shared/format/dates';
  import { resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import { notices } from '$shared/ui/notices.svelte';

  type Batch = Schemas['BatchOut'];
  type Kind = Schemas['MoveIn']['kind'];
  let archived = $state(false);
  const store = resource(() => call('GET', '/api/store', { params: { query: { archived } } }));
  const fleet = resource(() => call('GET', '/api/fleet'));
  const products = $derived(fleet.value?.products ?? []);
  const batches = $derived((store.value?.batches ?? []).filter((b) => b.archived === archived));
  const writable = $derived(session.may('records:write'));

  let adding = $state(false);
  let product = $state('');
  let name = $state('');
  let amount = $state<number | null>(null);
  let expires = $state('');
  let problem = $state.raw<Problem | null>(null);
  let moving = $state.raw<Batch | null>(null);
  let kind = $state<Kind>('counted');
  let words = $state('');
  const at = (field: string) => (problem?.field === field ? problem.detail : '');
  const KINDS: { value: Kind; label: string }[] = [
    { value: 'counted', label: 'counted, left now' },
    { value: 'received', label: 'received' },
    { value: 'used', label: 'used' },
    { value: 'disposed', label: 'disposed of' },
  ];
  const MOVED: Record<string, string> = { received: 'received', used: 'used', counted: 'counted', disposed: 'disposed of' };

  function openAdd() {
    product = products.length === 1 ? products[0]!.id : '';
    name = expires = '';
    amount = null;
    problem = null;
    adding = true;
  }
  function openMove(b: Batch) {
    moving = b;
    kind = 'counted';
    amount = b.left_amount;
    words = '';
    problem = null;
  }
  async function add(e: SubmitEvent) {
    e.preventDefault();
    const answer = await call('POST', '/api/store', {
      body: { product_id: product, name, amount: amount ?? 0, expires_on: expires || null },
    });
    problem = answer.problem;
    if (!answer.data) return;
    adding = false;
    notices.say(`Batch ${name} added`);
    await store.load();
  }
  async function move(e: SubmitEvent) {
    e.preventDefault();
    const answer = await call('POST', '/api/store/{batch_id}/moves', {
      params: { path: { batch_id: moving!.id } },
      body: { kind, amount: amount ?? 0, words },
    });
    problem = answer.problem;
    if (!answer.data) return;
    moving = null;
    await store.load();
  }
  async function put(b: Batch, away: boolean, undoable = true) {
    const params = { params: { path: { batch_id: b.id } } };
    const { problem: bad } = away
      ? await call('DELETE', '/api/store/{batch_id}', params)
      : await call('POST', '/api/store/{batch_id}/restore', params);
    if (bad) notices.say(bad.detail, { bad: true });
    else if (undoable)
      notices.say(away ? `Batch ${b.name} archived` : `Batch ${b.name} restored`, { undo: () => void put(b, !away, false) });
    await store.load();
  }
</script>

<svelte:head><title>Store · Gentle Quarry</title></svelte:head>

<div class="mx-auto max-w-309 px-6 py-6 max-hand:px-4">
  <div class="mb-2 flex flex-wrap items-end gap-3">
    <h1 class="mr-auto">Store</h1>
    <label class="flex min-h-touch items-center gap-2"
      ><input type="checkbox" class="size-4" bind:checked={archived} onchange={() => store.load()} />archived</label>
    <a class="button" href="/fleet?of=products">Products</a>
    <button class="button dark" disabled={!writable || !products.length} onclick={openAdd}>Add a batch</button>
  </div>
  <p class="quiet mb-4">
    What is sprayed leaves its batch when the day closes. The batch that expires first is proposed first; an expired one never.
  </p>
  <Failed of={store} />
  {#if store.value}
    {#if !batches.length}
      <div class="rounded border-line border-dashed border-rule bg-sheet px-8 py-12 text-center">
        {#if archived}<p>Nothing is archived.</p>
        {:else if !products.length && fleet.value}<p class="mb-4">No products yet. Enter them first, from their labels.</p>
          <a class="button dark" href="/fleet?of=products&new">Add a product</a>
        {:else}<p class="mb-4">No batch in the store yet.</p>
          <button class="button dark" disabled={!writable || !products.length} onclick={openAdd}>Add a batch</button>{/if}
      </div>
    {:else}
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <div class="overflow-x-auto" tabindex="0" role="region" aria-label="Batches">
        <table class="sheet-table bg-sheet" data-testid="store">
          <thead
            ><tr
              ><th>product</th><th>batch</th><th class="!text-right">left</th><th>expires</th><th class="max-hand:hidden"
                >last move</th
              ><th><span class="visually-hidden">what can be done</span></th></tr
            ></thead>
          <tbody>
            {#each batches as b (b.id)}
              {@const last = b.moves.at(-1)}
              <tr>
                <td class="font-semibold">{b.product}</td>
                <td>{b.name}</td>
                <td class="nums whitespace-nowrap text-right {b.left_amount < 0 ? 'problem' : ''}"
                  >{b.left_amount < 0 ? '−' : ''}{amountText(Math.abs(b.left_amount), b.unit)}</td>
                <td class={b.expired ? 'problem font-semibold' : ''}
                  >{b.expires_on ? `${b.expired ? '! expired ' : ''}${date(b.expires_on)}` : 'no date'}</td>
                <td class="max-hand:hidden"
                  >{#if last}{MOVED[last.kind]}
                    {last.amount < 0 ? '−' : '+'}{amountText(Math.abs(last.amount), b.unit)}, {shortDate(last.at)}, {last.by}{/if}</td>
                <td class="whitespace-nowrap text-right max-hand:[&>button]:block">
                  {#if !b.archived}<button
                      class="button plain"
                      disabled={!writable}
                      aria-label="Record a move of {b.name}"
                      onclick={() => openMove(b)}>Record</button
                    >{/if}
                  <button
                    class="button plain"
                    disabled={!writable}
                    aria-label="{b.archived ? 'Restore' : 'Archive'} {b.name}"
                    onclick={() => put(b, !b.archived)}>{b.archived ? 'Restore' : 'Archive'}</button>
                </td>
              </tr>
            {/each}
          </tbody>
        </table>
      </div>
      {#if batches.some((b) => b.left_amount < 0)}<p class="problem mt-2">
          A batch below nothing: more was sprayed of it than was received. Record what you count.
        </p>{/if}
    {/if}
  {:else if !store.problem}<p class="quiet" role="status">Looking …</p>{/if}
</div>

<Dialog.Root bind:open={adding}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-4 text-head">Add a batch</Dialog.Title>
      <form class="flex flex-col gap-3" onsubmit={add}>
        <Choice
          label="Product"
          value={product}
          empty="choose"
          options={products.map((p) => ({ value: p.id, label: p.name }))}
          onchange={(v) => (product = v)}
          problem={at('product_id')} />
        <TextField
          label="Batch number, from the container"
          value={name}
          maxlength={40}
          onchange={(v) => (name = v)}
          problem={at('name')} />
        <NumberField
          label="Received"
          unit={products.find((p) => p.id === product)?.unit ?? ''}
          digits={3}
          value={amount}
          onchange={(v) => (amount = v)}
          problem={at('amount')} />
        <TextField
          label="Expires on, if printed"
          type="date"
          value={expires}
          onchange={(v) => (expires = v)}
          problem={at('expires_on')} />
        {#if problem && !['product_id', 'name', 'amount', 'expires_on'].includes(problem.field)}<p class="problem" role="alert">
            {problem.detail}
          </p>{/if}
        <div class="flex justify-end gap-3">
          <Dialog.Close class="button">Cancel</Dialog.Close><button class="button dark" disabled={!product}>Add batch</button>
        </div>
      </form>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
<Dialog.Root bind:open={() => !!moving, (o) => !o && (moving = null)}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-4 text-head">{moving?.product}, batch {moving?.name}</Dialog.Title>
      <form class="flex flex-col gap-3" onsubmit={move}>
        <Choice label="What" value={kind} options={KINDS} onchange={(v) => (kind = v as Kind)} />
        <NumberField
          label="Amount"
          unit={moving?.unit ?? ''}
          digits={3}
          value={amount}
          onchange={(v) => (amount = v)}
          problem={at('amount')} />
        <TextField label="Note" value={words} maxlength={200} onchange={(v) => (words = v)} />
        {#if problem && problem.field !== 'amount'}<p class="problem" role="alert">{problem.detail}</p>{/if}
        <div class="flex justify-end gap-3">
          <Dialog.Close class="button">Cancel</Dialog.Close><button class="button dark">Record</button>
        </div>
      </form>
      {#if moving?.moves.length}
        <h3 class="mt-4">What moved</h3>
        <ul class="m-0 max-h-48 list-none overflow-y-auto p-0">
          {#each [...moving.moves].reverse() as m, k (k)}
            <li class="border-t border-rule py-1">
              {shortDate(m.at)}, {MOVED[m.kind]}
              {m.amount < 0 ? '−' : '+'}{amountText(Math.abs(m.amount), moving.unit)}, {m.by}{m.words ? `: ${m.words}` : ''}
            </li>
          {/each}
        </ul>
      {/if}
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
