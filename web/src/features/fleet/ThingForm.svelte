<script lang="ts">
  import { formDraft } from '$shared/device/form-draft.svelte';
  import CameBack from '$shared/ui/CameBack.svelte';
  import FormEnd from '$shared/ui/FormEnd.svelte';
  import { call } from '$shared/api/call';
  import { type Problem } from '$shared/api/client';
  import Choice from '$shared/ui/Choice.svelte';
  import { toProblem } from '$shared/ui/toProblem';
  import NumberField from '$shared/ui/NumberField.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import { isNumber, thingsOf, type Field, type Fleet, type Form, type Row } from './nouns';

  interface Props {
    form: Form;
    row: Row | null;
    fleet: Fleet;
    /** Called with the names where several were added. */
    done: (names?: string[]) => void;
    leave: () => void;
  }
  let { form, row, fleet, done, leave }: Props = $props();
  /** What a new one begins with; where only one thing can be chosen, it is. */
  function beginsWith(f: Field): unknown {
    const only = f.kind === 'thing' && !f.optional ? thingsOf(fleet, f.of!).filter((m) => !m.archived) : [];
    return only.length === 1 ? only[0]!.id : f.begins;
  }
  // svelte-ignore state_referenced_locally
  let figures = $state<Record<string, unknown>>(
    Object.fromEntries(form.figures.map((f) => [f.key, row ? row[f.key] : beginsWith(f)])),
  );
  // svelte-ignore state_referenced_locally
  let version = $state(row?.version ?? 0);
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);
  const at = (key: string) =>
    problem?.field === key || problem?.field === key.replace(/_id$/, '') || problem?.field.startsWith(`${key}.`)
      ? problem.detail
      : '';
  const elsewhere = $derived(
    problem && problem.code !== 'stale' && ![...form.figures.map((f) => f.key), 'count', 'serials'].some(at)
      ? problem.detail
      : '',
  );
  type Mode = { name: string; pack_w: number; wall_w: number };
  const modes = $derived((figures.modes ?? []) as Mode[]);

  let sheet = $state<HTMLFormElement>();
  let count = $state(1);
  let serials = $state('');
  const several = $derived(!row && form.item && count > 1);
  const draft = formDraft(
    // svelte-ignore state_referenced_locally
    `fleet/${form.noun}/${row?.id ?? 'new'}`,
    () => ({ figures: $state.snapshot(figures), version, count, serials }),
    (typed) => ({ figures, version, count, serials } = typed),
  );

  async function send(e: SubmitEvent) {
    e.preventDefault();
    busy = true;
    if (several) {
      const given = serials.split(/\r?\n|[,;\t]/).map((x) => x.trim());
      const of = $state.snapshot(figures) as never;
      const { data, problem: refused } = await call('POST', `/api/fleet/${form.noun}/alike` as '/api/fleet/packs/alike', {
        body: { of, count, serials: given.some(Boolean) ? given.slice(0, given.findLastIndex(Boolean) + 1) : [] },
      });
      busy = false;
      problem = refused && { ...refused, field: refused.field.replace(/^of\./, '') };
      if (data) {
        draft.forget();
        done(data.map((x) => x.name));
      } else await toProblem(sheet);
      return;
    }
    const path = (row ? `/api/fleet/${form.noun}/{thing_id}` : `/api/fleet/${form.noun}`) as '/api/fleet/packs';
    const body = $state.snapshot(figures) as never;
    const answer = row
      ? await call('PUT', path as '/api/fleet/packs/{thing_id}', {
          params: { path: { thing_id: row.id }, query: { version } },
          body,
        })
      : await call('POST', path, { body });
    busy = false;
    problem = answer.problem;
    if (!answer.data) return toProblem(sheet);
    draft.forget();
    done();
  }
  const chosen = (key: string) => (figures[key] ?? []) as string[];
  function keepMine() {
    version += 1;
    problem = null;
  }
</script>

<form bind:this={sheet} class="flex flex-col gap-3" onsubmit={send}>
  <CameBack {draft} />
  {#each form.figures as f (f.key)}
    {#if isNumber(f)}
      <NumberField
        label={f.label}
        hint={f.optional ? '(if known)' : ''}
        quantity={f.quantity ?? undefined}
        unit={f.unit}
        scale={f.scale}
        digits={f.digits ?? undefined}
        value={(figures[f.key] as number | null) ?? null}
        onchange={(v) => (figures[f.key] = f.kind === 'whole' ? Math.round(v) : v)}
        problem={at(f.key)} />
    {:else if f.kind === 'thing'}
      <Choice
        label={f.label}
        value={(figures[f.key] as string | null) ?? ''}
        empty={f.optional ? 'none' : 'choose'}
        options={thingsOf(fleet, f.of!).map((m) => ({ value: m.id, label: m.name }))}
        onchange={(v) => (figures[f.key] = v || null)}
        problem={at(f.key)} />
    {:else if f.kind === 'choice'}
      <Choice
        label={f.label}
        value={String(figures[f.key])}
        options={f.choices}
        onchange={(v) => (figures[f.key] = v)}
        problem={at(f.key)} />
    {:else if f.kind === 'yes'}
      <label class="flex min-h-touch items-center gap-2"
        ><input
          type="checkbox"
          class="size-4"
          checked={Boolean(figures[f.key])}
          onchange={(e) => (figures[f.key] = e.currentTarget.checked)} />{f.label}</label>
    {:else if f.kind === 'several'}
      <fieldset class="border-0 p-0">
        <legend class="mb-1">{f.label} <span class="quiet">(none ticked: not known)</span></legend>
        <div class="flex flex-wrap gap-x-4">
          {#each f.choices as c (c.value)}
            <label class="flex min-h-touch items-center gap-2"
              ><input
                type="checkbox"
                class="size-4"
                checked={chosen(f.key).includes(c.value)}
                onchange={(e) =>
                  (figures[f.key] = f.choices
                    .map((x) => x.value)
                    .filter((v) => (v === c.value ? e.currentTarget.checked : chosen(f.key).includes(v))))} />{c.label}</label>
          {/each}
        </div>
        {#if at(f.key)}<p class="problem m-0 text-small" role="alert">{at(f.key)}</p>{/if}
      </fieldset>
    {:else if f.kind === 'lines'}
      <label class="flex flex-col gap-1"
        >{f.label}<textarea
          class="input py-2"
          rows="4"
          value={((figures[f.key] ?? []) as string[]).join('\n')}
          aria-invalid={at(f.key) ? 'true' : undefined}
          onchange={(e) =>
            (figures[f.key] = e.currentTarget.value
              .split('\n')
              .map((x) => x.trim())
              .filter(Boolean))}></textarea
        ></label>
      {#if at(f.key)}<p class="problem m-0 text-small" role="alert">{at(f.key)}</p>{/if}
    {:else if f.kind === 'rates'}
      <fieldset class="border-0 p-0">
        <legend class="mb-1">{f.label}</legend>
        {#each modes as m, k (k)}
          <div class="mb-2 grid grid-cols-[1fr_1fr_1fr_36px] items-end gap-2">
            <TextField
              label="rate"
              value={m.name}
              onchange={(v) => (figures.modes = modes.map((x, i) => (i === k ? { ...x, name: v } : x)))} />
            <NumberField
              stacked
              label="into a pack"
              unit="W"
              digits={0}
              value={m.pack_w}
              onchange={(v) => (figures.modes = modes.map((x, i) => (i === k ? { ...x, pack_w: v } : x)))} />
            <NumberField
              stacked
              label="from supply"
              unit="W"
              digits={0}
              value={m.wall_w}
              onchange={(v) => (figures.modes = modes.map((x, i) => (i === k ? { ...x, wall_w: v } : x)))} />
            <button
              type="button"
              class="button plain px-2"
              aria-label="Delete this rate"
              onclick={() => (figures.modes = modes.filter((_, i) => i !== k))}>×</button>
          </div>
        {/each}
        <button
          type="button"
          class="button"
          onclick={() => (figures.modes = [...modes, { name: 'gentle', pack_w: 250, wall_w: 290 }])}>Add a rate</button>
        {#if at('modes')}<p class="problem mt-1 text-small" role="alert">{at('modes')}</p>{/if}
      </fieldset>
    {:else}
      <TextField
        label={f.label}
        live
        type={f.kind === 'date' ? 'date' : 'text'}
        value={String(figures[f.key] ?? '')}
        onchange={(v) => (figures[f.key] = f.kind === 'date' ? v || null : v)}
        problem={at(f.key)} />
    {/if}
  {/each}
  {#if !row && form.item}
    <NumberField
      label="How many alike"
      hint="(numbered on)"
      digits={0}
      value={count}
      onchange={(v) => (count = Math.max(1, Math.min(100, Math.round(v ?? 1))))}
      problem={at('count')} />
    {#if several && form.figures.some((f) => f.key === 'serial')}
      <label class="flex flex-col gap-1"
        >Serial numbers, one a line or pasted from a table; may stay empty<textarea
          class="input py-2"
          rows="4"
          bind:value={serials}
          aria-invalid={at('serials') ? 'true' : undefined}></textarea
        ></label>
      {#if at('serials')}<p class="problem m-0 text-small" role="alert">{at('serials')}</p>{/if}
    {/if}
  {/if}
  {#if elsewhere}<p class="problem" role="alert">{elsewhere}</p>{/if}
  {#if problem?.code === 'stale'}
    <div class="rounded border-2 border-madder bg-wash-madder p-3" role="alert">
      <p class="mb-2">{problem.detail}</p>
      <p class="mb-2 text-small">
        Saved by somebody else: {Object.entries((problem.current ?? {}) as Record<string, unknown>)
          .filter(([k, v]) => k in figures && JSON.stringify(v) !== JSON.stringify(figures[k]))
          .map(([k, v]) => `${form.figures.find((f) => f.key === k)?.label ?? k} ${v}`)
          .join(', ') || 'the same figures'}
      </p>
      <div class="flex gap-2">
        <button
          type="button"
          class="button"
          onclick={() => {
            draft.forget();
            done();
          }}>Take theirs</button
        ><button type="button" class="button dark" onclick={keepMine}>Keep mine, then save again</button>
      </div>
    </div>
  {/if}
  <FormEnd {draft} {leave} {busy}>{row ? 'Save' : several ? `Add ${count}` : `Add the ${form.one}`}</FormEnd>
</form>
