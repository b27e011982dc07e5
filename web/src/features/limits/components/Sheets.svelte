<!-- The sheets side by side: each limit of each level, the strictest marked; edited with a reason. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import { said, type GateDay } from '../words/gate';

  interface Props {
    page: Schemas['LimitsPage'];
    gate: GateDay | null;
    job: Schemas['JobLine'] | null;
    modelId: string | null;
    onchange: (page: Schemas['LimitsPage']) => void;
  }
  let { page, gate, job, modelId, onchange }: Props = $props();
  type Sheet = Schemas['SheetOut'];
  type Rule = Sheet['rules'][number];
  let open = $state.raw<{ column: Column; key: string } | null>(null);
  let least = $state('');
  let most = $state('');
  let why = $state('');
  let problem = $state.raw<Problem | null>(null);
  let history = $state.raw<{ name: string; lines: Schemas['SheetChange'][] } | null>(null);
  const writable = $derived(session.may('limits:write'));

  interface Column {
    level: Schemas['LevelOut']['key'];
    head: string;
    under: string;
    sheet: Sheet | null;
    maker?: boolean;
  }
  const columns = $derived.by((): Column[] => {
    const find = (f: (s: Sheet) => boolean) => page.sheets.find(f) ?? null;
    const model = find((s) => !s.kept && s.aircraft_model_id === modelId);
    const list: Column[] = [
      { level: 'organisation', head: 'Company', under: 'all work', sheet: find((s) => s.level === 'organisation') },
    ];
    if (model) {
      const name = model.name.replace(', data sheet', '');
      list.push({ level: 'aircraft', head: name, under: 'data sheet', sheet: model, maker: true });
      list.push({
        level: 'aircraft',
        head: name,
        under: 'company, on top of it',
        sheet: find((s) => s.kept && s.level === 'aircraft' && s.aircraft_model_id === modelId),
      });
    }
    if (job) {
      list.push({
        level: 'work',
        head: job.kind,
        under: 'kind of work',
        sheet: find((s) => s.level === 'work' && s.work === job.kind),
      });
      list.push({
        level: 'job',
        head: job.name,
        under: 'this job',
        sheet: find((s) => s.level === 'job' && s.job_id === job.id),
      });
    }
    return list;
  });
  const rows = $derived(page.quantities.filter((q) => columns.some((c) => c.sheet?.rules.some((r) => r.key === q.key))));
  let adding = $state('');
  const rest = $derived(page.quantities.filter((q) => !rows.includes(q)));
  const all = $derived([...rows, ...page.quantities.filter((q) => q.key === adding && !rows.includes(q))]);
  const rule = (c: Column, key: string) => c.sheet?.rules.find((r) => r.key === key);
  const strict = (c: Column, key: string, side: 'least' | 'most') => {
    const values = columns.map((x) => rule(x, key)?.[side]).filter((v): v is number => v != null);
    const mine = rule(c, key)?.[side];
    if (mine == null) return false;
    const best = side === 'most' ? Math.min(...values) : Math.max(...values);
    return mine === best && columns.find((x) => rule(x, key)?.[side] === best) === c;
  };
  const text = (q: Schemas['LimitQuantity'], v: number) => said(q.key, v, session.units, q.unit, q.scale, q.decimals);
  const plainNumber = (v: number | null | undefined, q: Schemas['LimitQuantity']) =>
    v == null ? '' : String(Number((v * q.scale).toFixed(4)));

  function edit(c: Column, q: Schemas['LimitQuantity']) {
    const r = rule(c, q.key);
    open = { column: c, key: q.key };
    least = plainNumber(r?.least, q);
    most = plainNumber(r?.most, q);
    why = r?.why ?? '';
    problem = null;
  }
  const number = (t: string, q: Schemas['LimitQuantity']) => {
    const n = Number(t.trim().replace(',', '.').replace('−', '-'));
    return t.trim() === '' ? null : Number.isNaN(n) ? NaN : n / q.scale;
  };
  async function save(e: SubmitEvent | null, q: Schemas['LimitQuantity'], remove = false) {
    e?.preventDefault();
    const { column } = open!;
    const made = { key: q.key, least: number(least, q), most: number(most, q), why };
    if (Number.isNaN(made.least) || Number.isNaN(made.most)) {
      problem = { status: 422, code: 'invalid', field: q.key, detail: 'Type a number, or leave the side open.' };
      return;
    }
    const bare = (r: Rule) => ({ key: r.key, least: r.least, most: r.most, why: r.why });
    const before = (column.sheet?.rules ?? []).map(bare);
    const others = before.filter((r) => r.key !== q.key);
    await put(column, remove ? others : [...others, made], before);
  }
  async function put(c: Column, rules: Schemas['LimitRuleIn'][], before: Schemas['LimitRuleIn'][] | null) {
    const body = {
      level: c.level,
      aircraft_model_id: c.level === 'aircraft' ? modelId : null,
      work: c.level === 'work' ? (job?.kind ?? '') : '',
      job_id: c.level === 'job' ? (job?.id ?? null) : null,
      version: c.sheet?.version ?? 0,
      rules,
    };
    const { data, problem: bad } = await call('PUT', '/api/limits', { body });
    problem = bad;
    if (bad?.code === 'stale') onchange(bad.current as Schemas['LimitsPage']);
    if (!data) return;
    open = null;
    adding = '';
    onchange(data);
    const fresh = columns.find((x) => x.level === c.level && x.under === c.under);
    notices.say('Set. The weather window is judged again', before && fresh ? { undo: () => void put(fresh, before, null) } : {});
  }
  async function starter() {
    const { data, problem: bad } = await call('POST', '/api/limits/starter');
    if (data) onchange(data);
    else notices.say(bad.detail, { bad: true });
  }
  async function past(c: Column) {
    if (history?.name === c.head) {
      history = null;
      return;
    }
    const path = { params: { path: { sheet_id: c.sheet!.id } } };
    const { data, problem: bad } = await call('GET', '/api/limits/sheets/{sheet_id}/history', path);
    if (data) history = { name: c.head, lines: data };
    else notices.say(bad.detail, { bad: true });
  }
  const changed = (h: Schemas['SheetChange']) =>
    page.quantities
      .map((q) => {
        const a = h.before.find((r) => r.key === q.key);
        const b = h.after.find((r) => r.key === q.key);
        if (JSON.stringify([a?.least, a?.most]) === JSON.stringify([b?.least, b?.most])) return '';
        const side = (r?: Rule) => (r ? [r.least, r.most].map((v) => (v == null ? '–' : text(q, v))).join(' to ') : 'none');
        return `${q.words}: ${side(a)} → ${side(b)}${b?.why ? ` (${b.why})` : ''}`;
      })
      .filter(Boolean)
      .join('; ');
  const deciding = $derived(new Map((gate?.limits ?? []).map((l) => [l.key, l])));
</script>

{#if !columns[0]?.sheet}
  <div class="mb-3 rounded border-line border-copper bg-wash-copper p-4" role="status">
    <b>No limits are set yet: nothing is ever a go without them.</b>
    <p class="mt-1">Begin with usual values and check each against your law and the makers' manuals.</p>
    <button class="button dark mt-2" disabled={!writable} onclick={starter}>Begin with usual values</button>
  </div>
{/if}
<div class="overflow-x-auto">
  <table class="sheet-table bg-sheet" data-testid="sheets">
    <thead>
      <tr>
        <th>the strictest holds</th>
        {#each columns as c, n (n)}
          <th class="!text-right">
            <b class="block text-ink">{c.head}</b>{c.under}
            {#if c.maker}<a class="block" href="/fleet">in the fleet</a>
            {:else if c.sheet}<button class="why-link" onclick={() => past(c)} aria-expanded={history?.name === c.head}
                >who changed what</button
              >{/if}
          </th>
        {/each}
      </tr>
    </thead>
    <tbody>
      {#each all as q (q.key)}
        <tr>
          <td
            ><b>{q.words}</b>{#if q.how}<span class="quiet block text-note">{q.how}</span>{/if}
            {#if gate && !deciding.has(q.key)}<span class="quiet text-note">not limited here</span>{/if}</td>
          {#each columns as c, n (n)}
            {@const r = rule(c, q.key)}
            <td class="text-right align-top">
              {#if c.maker}
                {#if r}{@render values(c, q, r)}{/if}
              {:else}
                <button
                  class="button plain small !px-1 text-right"
                  disabled={!writable}
                  aria-label="{q.words}, {c.head}, {c.under}: {r ? 'change' : 'set a limit'}"
                  title={r?.why ?? (writable ? 'set a limit' : 'Only a lead sets limits')}
                  onclick={() => edit(c, q)}
                  >{#if r}{@render values(c, q, r)}{:else}<span class="quiet">·</span>{/if}</button>
              {/if}
            </td>
          {/each}
        </tr>
        {#if open?.key === q.key}
          <tr>
            <td colspan={columns.length + 1} class="bg-paper-deep">
              <form class="flex flex-wrap items-end gap-3" onsubmit={(e) => save(e, q)} aria-label="Limit of {q.words}">
                <b class="basis-full">{q.words}, {open.column.head}, {open.column.under}</b>
                {#if q.sides !== 'most'}<label
                    >at least{q.unit ? `, ${q.unit}` : ''}<input
                      class="input !w-31 text-right"
                      inputmode="decimal"
                      bind:value={least} /></label
                  >{/if}
                {#if q.sides !== 'least'}<label
                    >at most{q.unit ? `, ${q.unit}` : ''}<input
                      class="input !w-31 text-right"
                      inputmode="decimal"
                      bind:value={most} /></label
                  >{/if}
                <label class="grow"
                  >why: the manual, the law, what taught you<input class="input" maxlength="300" bind:value={why} /></label>
                <button class="button dark">Set it</button>
                {#if rule(open.column, q.key)}<button class="button" type="button" onclick={() => save(null, q, true)}
                    >Take it out</button
                  >{/if}
                <button class="button plain" type="button" onclick={() => (open = null)}>Cancel</button>
                {#if problem}<p class="problem basis-full" role="alert">{problem.detail}</p>{/if}
              </form>
            </td>
          </tr>
        {/if}
      {/each}
    </tbody>
  </table>
</div>
{#snippet values(c: Column, q: Schemas['LimitQuantity'], r: Rule)}
  {#each ['least', 'most'] as const as side (side)}
    {#if r[side] != null}
      {@const decides = strict(c, q.key, side)}
      <span class="block whitespace-nowrap {decides ? 'font-bold' : 'quiet'}"
        >{side === 'least' ? '≥' : '≤'}
        {text(q, r[side]!)}{#if decides}&nbsp;<span class="inline-block border border-ink px-1 text-note">decides</span
          >{/if}</span>
    {/if}
  {/each}
{/snippet}
<div class="mt-2 flex flex-wrap items-center gap-2">
  <select class="input !w-74 max-w-full" aria-label="Limit something else" disabled={!writable} bind:value={adding}>
    <option value="">limit something else …</option>
    {#each rest as q (q.key)}<option value={q.key}>{q.words}</option>{/each}
  </select>
  <span class="quiet text-small">Starter values are usual ones: check your law and the manual.</span>
</div>
{#if history}
  <h3 class="mt-4 font-semibold">{history.name}: who changed what</h3>
  <ul class="m-0 list-none p-0">
    {#each history.lines as h, k (k)}<li class="border-b border-rule py-1.5 text-small">
        <b>{h.who}</b>, {h.at.slice(0, 10)}: {changed(h) || 'reasons only'}
      </li>{:else}<li class="quiet">Nothing yet.</li>{/each}
  </ul>
{/if}

<style>
  .why-link {
    display: block;
    margin-left: auto;
    padding: 0;
    border: 0;
    background: none;
    color: inherit;
    font: inherit;
    text-decoration: underline;
    cursor: pointer;
  }
</style>
