<!-- Anything else that is written down about a pack, each kind with its own few figures. -->
<script lang="ts">
  import { formDraft } from '$shared/device/form-draft.svelte';
  import CameBack from '$shared/ui/CameBack.svelte';
  import FormEnd from '$shared/ui/FormEnd.svelte';
  import type { Problem, Schemas } from '$shared/api/client';
  import { fileBody } from '$shared/api/file';
  import PhotoChoice from '$shared/ui/PhotoChoice.svelte';
  import { call } from '$shared/api/call';
  import Choice from '$shared/ui/Choice.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import { rowOfVolts } from '../state/entry';
  import { RECORDS, type FormKind } from '../words/records';
  import { recordOf, send } from '../state/shelf.svelte';

  interface Props {
    id: string;
    cells: number;
    kind: FormKind;
    lead: boolean;
    /** The record that this one corrects, if it does. */
    wrong?: Schemas['RecordOut'] | null;
    done: (answer: Schemas['RecordAnswer']) => void;
    leave: () => void;
  }
  let { id, cells, kind, lead, wrong = null, done, leave }: Props = $props();
  // svelte-ignore state_referenced_locally
  let chosen = $state<FormKind>((wrong?.kind as FormKind) ?? kind);
  // svelte-ignore state_referenced_locally
  let figures = $state<Record<string, unknown>>({ ...(wrong?.figures ?? {}) });
  // svelte-ignore state_referenced_locally
  let lists = $state<Record<string, string>>(
    Object.fromEntries(
      Object.entries(wrong?.figures ?? {})
        .filter(([, v]) => Array.isArray(v))
        .map(([k, v]) => [k, (v as number[]).map((n) => (k === 'cell_ohm' ? n * 1000 : n)).join(' ')]),
    ),
  );
  const local = (d: Date) => new Date(d.getTime() - d.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);
  // svelte-ignore state_referenced_locally
  let at = $state(local(wrong ? new Date(wrong.at) : new Date()));
  // svelte-ignore state_referenced_locally
  let note = $state(wrong?.note ?? '');
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);
  const key = crypto.randomUUID();
  const ACTS: Partial<Record<FormKind, string>> = { grounding: 'Ground pack', release: 'Release pack' };
  // svelte-ignore state_referenced_locally
  const begun = at;
  const draft = formDraft(
    // svelte-ignore state_referenced_locally
    `record/${id}/${wrong?.key ?? kind}`,
    // The moment that a form begins with is no change.
    () => ({ chosen, figures: $state.snapshot(figures), lists: $state.snapshot(lists), at: at === begun ? '' : at, note }),
    (typed) => {
      ({ chosen, figures, lists, note } = typed);
      at = typed.at || begun;
    },
  );
  const words = $derived(RECORDS[chosen]);
  const kinds = $derived((Object.keys(RECORDS) as FormKind[]).filter((k) => k !== 'release' || lead));
  const problemAt = (name: string) =>
    problem && (problem.field === name || problem.field.startsWith(`${name}.`)) ? problem.detail : '';
  const elsewhere = $derived(
    problem && !['at', 'file', ...words.fields.map((f) => f.key)].some((k) => problemAt(k)) ? problem.detail : '',
  );

  /** The photo is kept at once, so that a form that was left still has it. */
  async function photo(field: string, file: File) {
    busy = true;
    const { data, problem: bad } = await call('POST', '/api/packs/{pack_id}/photos', {
      params: { path: { pack_id: id } },
      ...fileBody(file),
    });
    busy = false;
    problem = bad;
    if (data) figures[field] = data.key;
  }

  async function submit(e: SubmitEvent) {
    e.preventDefault();
    const sent: Record<string, unknown> = {};
    for (const f of words.fields) {
      if (f.type === 'cells') {
        const text = lists[f.key]?.trim();
        if (!text) continue;
        const v = f.unit === 'mΩ' ? text.split(/[\s;]+/).map((t) => Number(t.replace(',', '.')) / 1000) : rowOfVolts(text);
        if (v.some((n) => n === null || !Number.isFinite(n))) {
          problem = { status: 422, code: 'invalid', field: f.key, detail: 'Type numbers only, a space between cells.' };
          return;
        }
        sent[f.key] = v;
      } else if (figures[f.key] !== undefined && figures[f.key] !== null && figures[f.key] !== '') sent[f.key] = figures[f.key];
    }
    busy = true;
    const when = new Date(at);
    const answer = await send(
      id,
      recordOf(chosen, sent, { note, key, at: Number.isNaN(+when) ? null : when.toISOString(), corrects: wrong?.key ?? null }),
    );
    busy = false;
    problem = answer.problem;
    if (!answer.data) return;
    draft.forget();
    done(answer.data);
  }
</script>

<form class="flex flex-col gap-3" onsubmit={submit}>
  <CameBack {draft} />
  {#if !wrong}<Choice
      label="What"
      value={chosen}
      options={kinds.map((k) => ({ value: k, label: RECORDS[k].label }))}
      onchange={(v) => (chosen = v as FormKind)} />{/if}
  {#if words.hint}<p class="quiet text-small">{words.hint}</p>{/if}
  {#each words.fields as f (chosen + f.key)}
    {#if f.type === 'cells'}
      <TextField
        label="{f.label} of {cells} cells{f.unit ? `, ${f.unit}` : ''}"
        live
        value={lists[f.key] ?? ''}
        onchange={(v) => (lists[f.key] = v)}
        problem={problemAt(f.key)} />
    {:else if f.type === 'number'}
      <NumberField
        label={f.label}
        hint={f.optional ? '(if known)' : ''}
        unit={f.unit}
        quantity={f.quantity}
        scale={f.scale}
        digits={f.digits ?? 1}
        value={(figures[f.key] as number | undefined) ?? null}
        onchange={(v) => (figures[f.key] = v)}
        problem={problemAt(f.key)} />
    {:else if f.type === 'choice'}
      <Choice
        label={f.label}
        value={(figures[f.key] as string) ?? ''}
        empty="choose"
        options={f.options!}
        onchange={(v) => (figures[f.key] = v)}
        problem={problemAt(f.key)} />
    {:else if f.type === 'photo'}
      <PhotoChoice
        src={figures[f.key] ? `/api/packs/photos/${figures[f.key]}` : ''}
        {busy}
        problem={problemAt('file')}
        onfile={(file) => void photo(f.key, file)}
        onremove={() => (figures[f.key] = '')} />
    {:else if f.type === 'check'}
      <label class="flex min-h-touch items-center gap-2"
        ><input
          type="checkbox"
          class="size-4"
          checked={Boolean(figures[f.key])}
          onchange={(e) => (figures[f.key] = e.currentTarget.checked)} />{f.label}</label>
    {:else}
      <TextField
        label={f.label}
        live
        value={(figures[f.key] as string) ?? ''}
        onchange={(v) => (figures[f.key] = v)}
        problem={problemAt(f.key)} />
    {/if}
  {/each}
  <TextField label="When" type="datetime-local" live value={at} onchange={(v) => (at = v)} problem={problemAt('at')} />
  <TextField label="Note" live value={note} onchange={(v) => (note = v)} />
  {#if elsewhere}<p class="problem" role="alert">{elsewhere}</p>{/if}
  <FormEnd {draft} {leave} {busy}>{wrong ? 'Replace record' : (ACTS[chosen] ?? 'Record')}</FormEnd>
</form>
