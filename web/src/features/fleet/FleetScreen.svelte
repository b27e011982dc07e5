<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { Dialog } from 'bits-ui';
  import { call } from '$shared/api/call';
  import { percent, show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { help } from '$shared/ui/help.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import { columnsOf, isNumber, thingsOf, type Field, type Fleet, type Form, type Noun, type Row } from './nouns';
  import ThingForm from './ThingForm.svelte';

  let fleet = $state.raw<Fleet | null>(null);
  let forms = $state.raw<Form[]>([]);
  let failed = $state('');
  let archived = $state(false);
  let open = $state(false);
  const unpowered = $derived(
    thingsOf(fleet, 'chargers').some((c) => !c.archived) && !thingsOf(fleet, 'supplies').some((s) => !s.archived),
  );
  async function addSupply() {
    const models = thingsOf(fleet, 'supply-models').some((m) => !m.archived);
    await goto(`/fleet?of=${models ? 'supplies' : 'supply-models'}`);
    edit(null);
  }
  let row = $state.raw<Row | null>(null);
  const noun = $derived((page.url.searchParams.get('of') ?? 'packs') as Noun);
  const form = $derived(forms.find((n) => n.noun === noun) ?? forms[0]);
  const rows = $derived(form ? thingsOf(fleet, form.noun).filter((r) => r.archived === archived) : []);
  const writable = $derived(!!form && session.may(form.right));
  const shown = $derived(form ? columnsOf(form) : []);

  async function load() {
    const [things, described] = await Promise.all([
      call('GET', '/api/fleet', { params: { query: { archived: true } } }),
      forms.length ? null : call('GET', '/api/fleet/forms'),
    ]);
    failed = things.problem?.detail ?? described?.problem?.detail ?? '';
    if (things.data) fleet = things.data;
    if (described?.data) forms = described.data;
  }
  void load().then(() => {
    const wanted = page.url.searchParams.get('edit');
    const found = wanted ? rows.find((r) => r.id === wanted) : undefined;
    if (found || page.url.searchParams.has('new')) edit(found ?? null);
  });
  function edit(r: Row | null) {
    row = r;
    open = true;
  }
  function done(names?: string[]) {
    open = false;
    if (names) notices.say(`${names.length} added: ${names[0]} to ${names.at(-1)}`);
    else notices.say(row ? 'Saved' : `${form!.one[0]!.toUpperCase()}${form!.one.slice(1)} added`);
    void load();
  }
  async function put(r: Row, away: boolean, undoable = true) {
    const path = `/api/fleet/${form!.noun}/{thing_id}`;
    const params = { params: { path: { thing_id: r.id } } };
    const { problem } = away
      ? await call('DELETE', path as '/api/fleet/packs/{thing_id}', params)
      : await call('POST', `${path}/restore` as '/api/fleet/packs/{thing_id}/restore', params);
    if (problem) notices.say(problem.detail, { bad: true });
    else if (undoable)
      notices.say(away ? `${r.name} archived` : `${r.name} restored`, {
        undo: () => void put(r, !away, false),
      });
    await load();
  }
  function cell(r: Row, f: Field): string {
    const v = r[f.key];
    if (v === null || v === undefined || v === '') return '—';
    if (f.kind === 'thing') return thingsOf(fleet, f.of!).find((m) => m.id === v)?.name ?? '—';
    if (f.kind === 'choice') return f.choices.find((o) => o.value === v)?.label ?? String(v);
    if (isNumber(f))
      return f.quantity
        ? show(v as number, f.quantity, session.units)
        : f.scale === 100
          ? percent(v as number)
          : `${Number((v as number).toFixed(2))}${f.unit ? ` ${f.unit}` : ''}`;
    return String(v);
  }
  $effect(() => {
    if (form)
      return help.offer('fleet', [{ id: 'add', label: `Add a ${form.one}`, keys: 'N', run: () => writable && edit(null) }]);
  });
</script>

<div class="mx-auto max-w-354 px-6 py-6">
  <div class="mb-5 flex flex-wrap items-end gap-4">
    <h1 class="mr-auto">{form?.title ?? 'Fleet'}</h1>
    <label class="flex items-center gap-2"><input type="checkbox" class="size-4" bind:checked={archived} />archived</label>
    {#if form}<button
        class="button dark"
        disabled={!writable || !fleet}
        title={writable ? '' : 'Your role cannot change this'}
        onclick={() => edit(null)}>Add a {form.one}</button
      >{/if}
  </div>
  <div class="grid grid-cols-[176px_minmax(0,1fr)] gap-7 max-tablet:grid-cols-[minmax(0,1fr)]">
    <nav aria-label="Fleet" class="flex flex-col gap-0.5 max-tablet:flex-row max-tablet:flex-wrap">
      {#each forms as n, k (n.noun)}
        {#if !n.item && forms[k - 1]?.item}<span class="quiet mt-4 px-3 text-note max-tablet:hidden">models</span>{/if}
        <a
          href="/fleet?of={n.noun}"
          aria-current={n.noun === form?.noun ? 'page' : undefined}
          class="flex min-h-touch items-center justify-between rounded px-3 no-underline {n.noun === form?.noun
            ? 'bg-ink font-semibold text-sheet'
            : 'hover:bg-paper-deep'}">
          <span>{n.title}</span><span>{fleet ? thingsOf(fleet, n.noun).filter((r) => !r.archived).length : ''}</span>
        </a>
      {/each}
    </nav>
    <section class="min-w-0 overflow-x-auto">
      {#if failed}<p class="problem mb-3" role="alert">
          {failed} <button class="button" onclick={load}>Try again</button>
        </p>{/if}
      {#if unpowered}<div
          class="mb-4 flex flex-wrap items-center gap-3 border-y-2 border-copper bg-wash-copper px-4 py-3"
          data-testid="no-supply">
          <span class="mr-auto"><b>What powers your chargers?</b> Without a supply no charging is planned on site.</span>
          <button class="button" disabled={!writable} onclick={addSupply}>Add a supply</button>
        </div>{/if}
      {#if !fleet || !form}<p class="quiet" role="status">Looking …</p>
      {:else if !rows.length}
        <div class="rounded border-line border-dashed border-rule bg-sheet px-8 py-12 text-center">
          {#if archived}<p>Nothing is archived.</p>{:else}<p class="mb-4">{form.empty}</p>
            <button class="button dark" disabled={!writable} onclick={() => edit(null)}>Add a {form.one}</button>{/if}
        </div>
      {:else}
        {#if form.noun === 'packs'}<p class="quiet mb-3">
            The inventory. What a pack can do today follows from its records: <a href="/packs">battery status</a>.
          </p>{/if}
        <table class="sheet-table bg-sheet" data-testid="fleet">
          <thead>
            <tr
              >{#if form.noun === 'packs'}<th class="w-24">charge</th>{/if}<th>{form.noun === 'packs' ? 'pack' : 'name'}</th
              >{#each shown as f (f.key)}<th class={isNumber(f) ? '!text-right' : ''}>{f.label.toLowerCase()}</th>{/each}<th
                ><span class="visually-hidden">what can be done</span></th
              ></tr>
          </thead>
          <tbody>
            {#each rows as r (r.id)}
              <tr class="hover:bg-paper-deep">
                {#if form.noun === 'packs'}
                  <td>
                    <svg
                      width="74"
                      height="30"
                      class="block"
                      role="img"
                      aria-label="{r.grounded ? 'grounded' : 'charge'} {percent(r.charge_frac as number)}">
                      <rect width="74" height="30" fill="var(--paper)" stroke="var(--rule)" />
                      <rect
                        y={30 - 30 * (r.charge_frac as number)}
                        width="74"
                        height={30 * (r.charge_frac as number)}
                        fill="url(#p-{r.grounded ? 'grounded' : (r.charge_frac as number) > 0.985 ? 'ready' : 'resting'})" />
                      <path d="M0 {30 - 30 * (r.charge_frac as number)}h74" stroke="var(--ink)" stroke-width="1.4" />
                    </svg>
                  </td>
                {/if}
                <td
                  ><button
                    class="whitespace-nowrap sharp text-left text-title underline decoration-1 underline-offset-4"
                    disabled={!writable || r.archived}
                    onclick={() => edit(r)}>{r.name}</button
                  >{#if r.grounded}<div class="problem text-small">
                      grounded{r.grounded_why ? `: ${r.grounded_why}` : ''}
                    </div>{/if}</td>
                {#each shown as f (f.key)}<td class={isNumber(f) ? 'text-right' : ''}>{cell(r, f)}</td>{/each}
                <td class="whitespace-nowrap text-right">
                  {#if r.archived}<button class="button" disabled={!writable} onclick={() => put(r, false)}>Restore</button>
                  {:else}<button class="button plain" disabled={!writable} onclick={() => edit(r)}>Edit</button><button
                      class="button plain"
                      disabled={!session.may(form.noun === 'packs' ? 'packs:retire' : form.right)}
                      onclick={() => put(r, true)}>Archive</button
                    >{/if}
                </td>
              </tr>
            {/each}
          </tbody>
        </table>
      {/if}
    </section>
  </div>
</div>

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-4 text-head">{row ? row.name : `A new ${form?.one ?? 'thing'}`}</Dialog.Title>
      {#if fleet && form && open}{#key row}<ThingForm {form} {row} {fleet} {done} leave={() => (open = false)} />{/key}{/if}
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
