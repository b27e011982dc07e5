<script lang="ts">
  import { call } from '$shared/api/call';
  import { type Problem } from '$shared/api/client';
  import { resource } from '$shared/resource.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import Why from '$shared/working/Why.svelte';
  import BenchCurve from './BenchCurve.svelte';
  import KeptSwaths from './KeptSwaths.svelte';
  import { ofAircraft, ofJob, ofPack } from './fill';
  import { bodyOf, GROUPS, TOOLS, type Answer } from './calculators';

  let { name }: { name: string } = $props();
  const tool = $derived(TOOLS.find((t) => t.name === name) ?? TOOLS[0]!);
  const defaults = resource(() => call('GET', '/api/policy/defaults'));
  const begins = $derived(new Map((defaults.value ?? []).map((d) => [d.key, d.value])));
  const starts = $derived(
    Object.fromEntries(tool.fields.map((f) => [f.key, f.begins ? (begins.get(f.begins) ?? f.start) : f.start])),
  );
  // What was typed belongs to its calculator, and stands whenever the defaults arrive.
  let edits = $derived.by<Record<string, unknown>>(() => {
    void tool.name;
    return {};
  });
  const typed = $derived<Record<string, unknown>>({ ...starts, ...edits });
  let answered = $state.raw<{ tool: string; of: Record<string, unknown>; answer: Answer } | null>(null);
  // An answer belongs to the calculator that gave it: another one cannot read it.
  const answer = $derived(answered?.tool === tool.name ? answered.answer : null);
  /** Whether the answer is that of the figures as they stand: only then is it kept anywhere. */
  const settled = $derived(answered?.of === typed);
  let problem = $state.raw<Problem | null>(null);
  let turn = 0;
  $effect(() => {
    const mine = ++turn;
    const asked = tool.name;
    let body: Record<string, unknown>;
    const now = typed;
    if (!Object.keys(now).length) return;
    try {
      body = bodyOf(tool, now);
    } catch (bad) {
      problem = {
        status: 422,
        code: 'invalid',
        field: (bad as Error).message,
        detail: 'Type numbers only, a space between them.',
      };
      return;
    }
    const timer = setTimeout(async () => {
      const got = await call('POST', '/api/compute/{name}', { params: { path: { name: tool.name } }, body: body as never });
      if (mine !== turn) return;
      problem = got.problem;
      answered = got.data ? { tool: asked, of: now, answer: got.data as Answer } : null;
    }, 120);
    return () => clearTimeout(timer);
  });
  const SOURCES = { packs: 'a pack', aircraft: 'an aircraft', jobs: 'a job' };
  const fleet = resource(() => call('GET', '/api/fleet'));
  const jobs = resource(() => call('GET', '/api/jobs'));
  let filledFrom = $state.raw<{ tool: string; id: string; name: string } | null>(null);
  const choices = $derived.by(() => {
    if (tool.fill === 'jobs') return (jobs.value?.items ?? []).map((j) => ({ value: j.id, label: j.name }));
    const rows = tool.fill === 'packs' ? fleet.value?.packs : tool.fill === 'aircraft' ? fleet.value?.aircraft : [];
    return (rows ?? []).map((r) => ({ value: String(r.id), label: r.name }));
  });
  async function fillFrom(id: string) {
    const known = fleet.value;
    if (!known || !id) return;
    let from: Record<string, unknown> = {};
    if (tool.fill === 'packs') from = ofPack(known, id);
    else if (tool.fill === 'aircraft') from = ofAircraft(known, id);
    else {
      const { data } = await call('GET', '/api/jobs/{job_id}', { params: { path: { job_id: id } } });
      if (data) from = ofJob(known, data.job);
    }
    const name = choices.find((c) => c.value === id)?.label ?? '';
    const taken = Object.fromEntries(tool.fields.filter((f) => from[f.key] !== undefined).map((f) => [f.key, from[f.key]]));
    filledFrom = { tool: tool.name, id, name };
    edits = { ...edits, ...taken };
    notices.say(`${Object.keys(taken).length} figures of ${name} taken over`);
  }
  async function keep() {
    if (!tool.keep || !filledFrom || !answer || !settled) return;
    const { kind, figures } = tool.keep.record(answer, typed);
    const { problem: bad } = await call('POST', '/api/packs/{pack_id}/records', {
      params: { path: { pack_id: filledFrom.id } },
      body: { kind, figures, note: tool.title, at: null, key: crypto.randomUUID(), corrects: null },
    });
    notices.say(bad ? bad.detail : `${filledFrom.name}: recorded`, bad ? { bad: true } : {});
  }
  /** The model of the pack it was filled from, where the answer can stand for all of its packs. */
  const model = $derived.by(() => {
    const pack = fleet.value?.packs.find((p) => p.id === filledFrom?.id);
    return fleet.value?.pack_models.find((m) => m.id === pack?.model_id) ?? null;
  });
  async function keepWithModel() {
    if (!tool.keepModel || !model || !answer || !settled) return;
    const { data, problem: bad } = await call('PUT', '/api/fleet/pack-models/{thing_id}', {
      params: { path: { thing_id: model.id }, query: { version: model.version } },
      body: { ...model, ...tool.keepModel(answer) } as never,
    });
    notices.say(bad ? bad.detail : `${model.name}: saved for packs without levels of their own`, bad ? { bad: true } : {});
    if (data) void fleet.load();
  }
  const put = (key: string, value: unknown) => (edits = { ...edits, [key]: value });
  const at = (key: string) => (problem && (problem.field === key || problem.field.startsWith(`${key}.`)) ? problem.detail : '');
  const elsewhere = $derived(problem && !tool.fields.some((f) => at(f.key)) ? problem.detail : '');
  const TONE: Record<string, string> = { good: 'text-lichen', 'replace soon': 'text-copper', bad: 'text-madder' };
</script>

<div class="mx-auto grid max-w-354 grid-cols-[190px_330px_minmax(0,1fr)] gap-8 px-6 py-6 max-narrow:grid-cols-1">
  <nav aria-label="Calculators" class="flex flex-col gap-0.5 max-narrow:flex-row max-narrow:flex-wrap">
    <h1 class="mb-3 max-narrow:basis-full">Calculators</h1>
    {#each GROUPS as g (g.words)}
      <h2 class="quiet m-0 mt-2 px-3 text-small max-narrow:basis-full">{g.words}</h2>
      {#each g.tools as t (t.name)}
        <a
          href="/bench/{t.name}"
          aria-current={t.name === tool.name ? 'page' : undefined}
          class="flex min-h-touch items-center rounded px-3 no-underline {t.name === tool.name
            ? 'bg-ink font-semibold text-sheet'
            : 'hover:bg-paper-deep'}">{t.title}</a>
      {/each}
    {/each}
  </nav>
  <section class="flex min-w-0 flex-col gap-2.5">
    <h2>{tool.asks}</h2>
    {#if tool.fill && choices.length}<Choice
        label="Fill from {SOURCES[tool.fill]}"
        value={filledFrom?.tool === tool.name ? filledFrom.id : ''}
        empty="choose"
        options={choices}
        onchange={fillFrom} />{/if}
    {#key tool.name}
      {#each tool.fields as f (f.key)}
        {#if f.type === 'number'}
          <NumberField
            label={f.label}
            hint={f.optional ? '(if known)' : ''}
            unit={f.unit}
            scale={f.scale}
            digits={f.digits}
            value={(typed[f.key] as number | null) ?? null}
            onchange={(v) => put(f.key, f.digits === 0 && !f.scale ? Math.round(v) : v)}
            problem={at(f.key)} />
        {:else if f.type === 'choice'}
          <Choice
            label={f.label}
            value={String(typed[f.key] ?? f.start)}
            options={f.options!}
            onchange={(v) => put(f.key, v)}
            problem={at(f.key)} />
        {:else if f.type === 'table'}
          <label class="flex flex-col gap-1"
            >{f.label}: {f.columns!.map((c) => c.label).join(' · ')}
            <textarea
              class="input !min-h-48 !py-2 leading-relaxed"
              aria-invalid={at(f.key) ? 'true' : undefined}
              value={String(typed[f.key] ?? '')}
              oninput={(e) => put(f.key, e.currentTarget.value)}></textarea>
            <span class="quiet text-note">One line each, a space between; – for what was not read.</span>
            {#if at(f.key)}<span class="problem text-small" role="alert">{at(f.key)}</span>{/if}</label>
        {:else}
          <TextField
            label="{f.label}{f.unit ? `, ${f.unit}` : ''}"
            live
            value={String(typed[f.key] ?? '')}
            onchange={(v) => put(f.key, v)}
            problem={at(f.key)} />
        {/if}
      {/each}
    {/key}
    {#if elsewhere}<p class="problem" role="alert">{elsewhere}</p>{/if}
  </section>
  <section class="min-w-0" aria-live="polite">
    {#if answer && !problem}
      <div class="sharp text-large leading-tight {TONE[tool.head(answer)] ?? ''}" data-testid="answer">
        <Why text={tool.head(answer)} name={tool.title.toLowerCase()} given={answer.working} />
      </div>
      {#if answer.words && answer.words.replaceAll('%', ' %') !== tool.head(answer)}<p class="mt-1 text-lead">
          {answer.words}
        </p>{/if}
      <dl class="my-3 flex flex-wrap gap-x-7 gap-y-1">
        {#each tool.figures(answer) as [k, v], nth (nth)}<div>
            <dt class="quiet text-note">{k}</dt>
            <dd class="m-0 font-semibold">{v}</dd>
          </div>{/each}
      </dl>
      {#if answer.picture}<BenchCurve picture={answer.picture} label="{tool.title}: {tool.head(answer)}" />{/if}
    {:else if !problem}<p class="quiet" role="status">Working it out …</p>
    {:else}<p class="quiet">The answer follows when the figures fit.</p>{/if}
    {#if tool.caution}<p class="quiet mt-3 border-l-3 border-copper pl-3 text-small">{tool.caution}</p>{/if}
    {#if tool.keep && filledFrom?.tool === tool.name && answer && !problem && session.may('packs:record')}<button
        class="button mt-3"
        disabled={!settled}
        onclick={keep}>{tool.keep.words} to {filledFrom.name}</button
      >{/if}
    {#if tool.keepModel && model && filledFrom?.tool === tool.name && answer && !problem && session.may('fleet:write')}<button
        class="button mt-3"
        disabled={!settled}
        onclick={keepWithModel}>{tool.keep?.words ?? 'Save'} to all {model.name}</button
      >{/if}
    {#if tool.name === 'swath-test' && answer && !problem}<KeptSwaths
        body={() => bodyOf(tool, typed)}
        aircraft={fleet.value?.aircraft ?? []} />{/if}
    <details class="quiet mt-4 text-note">
      <summary class="flex min-h-touch-small cursor-pointer items-center">Use it from other programs</summary>
      The same at <code>POST /api/compute/{tool.name}</code> and <code>quarry compute {tool.name}</code>.
    </details>
  </section>
</div>
