<!-- A load test on the tailgate: big keys, cell after cell, the verdict at once. -->
<script lang="ts">
  import { formDraft } from '$shared/device/form-draft.svelte';
  import CameBack from '$shared/ui/CameBack.svelte';
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import Why from '$shared/working/Why.svelte';
  import { COMPLETE, shown, volts } from './state/entry';
  import { recordOf, send, withdraw } from './state/shelf.svelte';

  type Page = Schemas['PackPage'];
  type Told = Schemas['VerdictOut'];
  let { id }: { id: string } = $props();
  let page = $state.raw<Page | null>(null);
  let failed = $state('');
  let cells = $state<string[]>([]);
  let at = $state(0);
  let how = $state<'cells' | 'total' | 'none'>('cells');
  let total = $state('');
  let start = $state<number | null>(null);
  let warm = $state<number | null>(null);
  let told = $state.raw<Told | null>(null);
  let kept = $state.raw<Schemas['RecordAnswer'] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);
  let key = crypto.randomUUID() as string;
  /** Nothing is taken for granted: the first tap sets a usual figure, the next ones move it. */
  const steppers = [
    {
      label: 'charge at the start',
      unit: '%',
      now: () => start,
      step: (by: number) => (start = start === null ? 98 : Math.min(100, Math.max(0, start + by))),
    },
    {
      label: 'pack temperature',
      unit: '°C',
      now: () => warm,
      step: (by: number) => (warm = warm === null ? 22 : Math.min(80, Math.max(-30, warm + by))),
    },
  ];
  const draft = formDraft(
    // svelte-ignore state_referenced_locally
    `load-test/${id}`,
    () => ({ cells: cells.some(Boolean) ? $state.snapshot(cells) : [], how, total, start, warm }),
    (typed) => {
      ({ how, total, start, warm } = typed);
      cells = typed.cells.length ? typed.cells : cells.map(() => '');
      at = Math.max(
        0,
        cells.findIndex((c) => c.length < COMPLETE),
      );
    },
  );
  const writable = $derived(session.may('packs:record'));
  const levels = $derived(page?.test_levels);

  async function load() {
    const { data, problem: bad } = await call('GET', '/api/packs/{pack_id}', { params: { path: { pack_id: id } } });
    failed = bad?.detail ?? '';
    if (data) {
      page = data;
      if (cells.length !== data.model.cells) cells = Array(data.model.cells).fill('');
    }
  }
  $effect(() => void load());

  const figures = $derived.by((): Record<string, unknown> | null => {
    const more = { start_frac: start === null ? null : start / 100, pack_c: warm };
    if (how === 'none') return more;
    if (how === 'total') {
      const v = Number(total.replace(',', '.'));
      return total && Number.isFinite(v) ? { total_v: v, ...more } : null;
    }
    const all = cells.map(volts);
    return all.length && all.every((v) => v !== null && v > 0) ? { cell_v: all, ...more } : null;
  });
  let turn = 0;
  $effect(() => {
    const now = figures;
    const mine = ++turn;
    if (!now) {
      told = null;
      problem = null;
      return;
    }
    void call('POST', '/api/packs/{pack_id}/try', {
      params: { path: { pack_id: id } },
      body: { kind: 'load test', figures: now, note: '' },
    }).then((answer) => {
      if (mine !== turn) return;
      told = answer.data;
      problem = answer.problem;
    });
  });

  function type(digit: string) {
    if (how === 'total') {
      total += digit;
      return;
    }
    if (digit === '.') return;
    const now = cells[at]!.length >= COMPLETE ? digit : cells[at]! + digit;
    cells[at] = now;
    if (now.length === COMPLETE && at < cells.length - 1) at += 1;
  }
  function back() {
    if (how === 'total') total = total.slice(0, -1);
    else if (cells[at]) cells[at] = cells[at]!.slice(0, -1);
    else if (at > 0) {
      at -= 1;
      cells[at] = '';
    }
  }
  function press(e: KeyboardEvent) {
    if (kept || (e.target as HTMLElement).closest('input, select, [role="dialog"]') || e.ctrlKey || e.metaKey) return;
    if (/^[0-9]$/.test(e.key) || (e.key === '.' && how === 'total')) type(e.key);
    else if (e.key === 'Backspace') back();
    else if (e.key === 'ArrowRight' || e.key === ' ') at = Math.min(cells.length - 1, at + 1);
    else if (e.key === 'ArrowLeft') at = Math.max(0, at - 1);
    else if (e.key === 'Enter' && !(e.target as HTMLElement).closest('button, a')) void keep();
    else return;
    e.preventDefault();
    e.stopPropagation();
  }
  async function keep() {
    if (!figures || !told || busy || !writable) return;
    busy = true;
    const answer = await send(id, recordOf('load test', figures, { key }));
    busy = false;
    problem = answer.problem;
    if (!answer.data) return;
    draft.forget();
    kept = answer.data;
  }
  async function undo() {
    if (!kept) return;
    const { problem: bad } = await withdraw(id, kept.record.key, 'entered by mistake');
    if (bad) notices.say(bad.detail, { bad: true });
    else again();
  }
  function again() {
    kept = null;
    key = crypto.randomUUID();
    at = 0;
    cells = cells.map(() => '');
    void load();
  }
  const tone = (v: string | undefined) =>
    v === 'good' ? 'lichen' : v === 'replace soon' ? 'copper' : v === 'bad' ? 'madder' : 'tarn';
  const SIGN: Record<string, string> = {
    good: '✓',
    'replace soon': '▲',
    bad: '✕',
    inconclusive: '?',
    'not judged': '?',
    'not possible': '–',
  };
  const tint = (digits: string) => {
    const v = volts(digits);
    if (digits.length < COMPLETE || v === null || !levels?.good || !levels.bad) return '';
    return v >= levels.good ? '' : v >= levels.bad ? 'text-copper' : 'text-madder';
  };
</script>

<svelte:window onkeydowncapture={press} />
<div class="mx-auto max-w-309 px-6 py-5 text-lead">
  {#if failed}<p class="problem" role="alert">{failed} <button class="button" onclick={load}>Try again</button></p>
  {:else if !page}<p class="quiet" role="status">Fetching the pack …</p>
  {:else}
    <div class="mb-4 flex flex-wrap items-baseline gap-4">
      <h1 class="!text-call">{page.line.name}</h1>
      <span>Load test · {page.model.name}, {page.model.cells} cells, {page.chemistry}</span>
      <a class="button ml-auto" href="/packs/{id}">Back to the pack</a>
    </div>
    {#if !kept}<div class="mb-3">
        <CameBack {draft}><button class="button small" onclick={() => draft.anew()}>Begin anew</button></CameBack>
      </div>{/if}
    {#if kept}
      <div class="rounded border-2 border-ink bg-sheet p-6" role="status" data-testid="kept">
        <div class="sharp text-clock leading-none text-{tone(kept.verdict?.verdict)}">
          {SIGN[kept.verdict?.verdict ?? '']}
          {kept.verdict?.verdict}
        </div>
        <p class="mt-3 text-head">{kept.verdict?.words}</p>
        <p class="mt-2 text-title">
          Kept. {page.line.name} is now <b>{kept.page.line.level}</b>{kept.page.line.level === 'grounded'
            ? ': out of every plan, on the care list.'
            : '.'}
        </p>
        <div class="mt-5 flex flex-wrap gap-3">
          <a class="button dark !min-h-tap-large !px-6 text-title" href="/packs">All packs</a>
          <a class="button !min-h-tap-large !px-6 text-title" href="/packs/{id}">Its page</a>
          {#if kept.page.line.level !== 'grounded'}<button class="button !min-h-tap-large !px-6 text-title" onclick={again}
              >Test again</button
            >{/if}
          <button class="button !min-h-tap-large !px-6 text-title" onclick={undo}>Take it back</button>
        </div>
      </div>
    {:else if page.line.level === 'grounded'}
      <div class="rounded border-2 border-madder bg-wash-madder p-6" role="alert">
        <div class="sharp text-call leading-none text-madder">✕ grounded</div>
        <p class="mt-3 text-head">Do not fly this pack, not even for a test. {page.line.words}</p>
        <p class="mt-2 text-title">
          {page.line.may_override ? 'A lead may release it on its page, with a reason.' : 'It goes to recycling.'}
        </p>
      </div>
    {:else}
      {#if levels && !levels.good}<p class="mb-3 rounded border-line border-tarn bg-wash-tarn px-4 py-3">
          The usual levels are for LiPo. For {page.chemistry} the test says nothing until levels of its own are set: read its resistance
          and compare charge put back with minutes flown.
        </p>{/if}
      <p class="mb-3">
        Pack full and warm; full-power climb, straight up over clear ground; note the <b>lowest volts of each cell</b>. Below
        {levels?.bad?.toFixed(2) ?? '–'} V land at once.
      </p>
      <div class="mb-4 flex flex-wrap gap-2" role="group" aria-label="What the aircraft shows">
        {#each [['cells', 'each cell'], ['total', 'a total only'], ['none', 'no volts']] as [k, label] (k)}
          <button class="button !min-h-tap text-lead" aria-pressed={how === k} onclick={() => (how = k as typeof how)}
            >{label}</button>
        {/each}
      </div>
      <div class="grid grid-cols-[minmax(0,1fr)_300px] gap-6 max-tablet:grid-cols-1">
        <div>
          {#if how === 'cells'}
            <div class="grid gap-2" style="grid-template-columns: repeat({Math.min(6, cells.length)}, minmax(0, 1fr))">
              {#each cells as c, k (k)}
                <button
                  class="rounded border-2 bg-field px-1 py-3 text-center {k === at
                    ? 'border-ink shadow-[inset_0_-5px_0_var(--ink)]'
                    : 'border-rule'}"
                  aria-label="Cell {k + 1}: {shown(c) || 'empty'}"
                  aria-pressed={k === at}
                  onclick={() => (at = k)}>
                  <span class="quiet block text-small">cell {k + 1}</span>
                  <span class="sharp block min-h-13 text-large {tint(c)}">{shown(c) || '·'}</span>
                </button>
              {/each}
            </div>
          {:else if how === 'total'}
            <div class="rounded border-2 border-ink bg-field p-4 text-center">
              <span class="quiet block text-small">total, over {page.model.cells} cells in series</span>
              <span class="sharp block min-h-tap-large text-call">{total || '·'} V</span>
            </div>
          {/if}
          <div class="mt-4 grid grid-cols-2 gap-4 max-phone:grid-cols-1">
            {#each steppers as t (t.label)}
              <div>
                <span class="block pb-1">{t.label}</span>
                <div class="flex">
                  <button
                    class="button !min-h-tap-large !w-19 !rounded-r-none text-page"
                    aria-label="{t.label} less"
                    onclick={() => t.step(-1)}>−</button>
                  <output
                    class="sharp grid grow place-items-center border-y-line border-ink bg-field text-page"
                    aria-label={t.label}>{t.now() === null ? 'not noted' : `${t.now()} ${t.unit}`}</output>
                  <button
                    class="button !min-h-tap-large !w-19 !rounded-l-none text-page"
                    aria-label="{t.label} more"
                    onclick={() => t.step(1)}>+</button>
                </div>
              </div>
            {/each}
          </div>
          <div class="mt-4 min-h-37 rounded border-2 border-ink bg-sheet p-4" aria-live="polite" data-testid="verdict">
            {#if problem}<p class="problem text-title" role="alert">{problem.detail}</p>
            {:else if told}
              <div class="flex flex-wrap items-baseline gap-x-4">
                <span class="sharp text-call leading-none text-{tone(told.verdict)}">{SIGN[told.verdict]} {told.verdict}</span>
                {#if told.weakest_v !== null}<Why
                    class="text-head"
                    text="{told.weakest_v.toFixed(2)} V"
                    name="load test"
                    given={told.working} />{/if}
              </div>
              <p class="mt-2 text-title">{told.words}</p>
            {:else}<p class="quiet text-title">
                {how === 'cells'
                  ? `Cell ${at + 1}: three digits, 3 9 7 for 3.97. The next cell follows by itself.`
                  : 'Type the lowest total.'}
              </p>{/if}
          </div>
        </div>
        <div>
          {#if how !== 'none'}
            <div class="grid grid-cols-3 gap-2" aria-label="Keys">
              {#each ['7', '8', '9', '4', '5', '6', '1', '2', '3', how === 'total' ? '.' : '', '0', '←'] as k, n (n)}
                {#if k}<button
                    class="button !min-h-tap-call text-page"
                    aria-label={k === '←' ? 'delete' : k}
                    onclick={() => (k === '←' ? back() : type(k))}>{k}</button
                  >{:else}<span></span>{/if}
              {/each}
            </div>
          {/if}
          <button class="button dark mt-3 !min-h-35 w-full text-page" disabled={!told || busy || !writable} onclick={keep}
            >Record</button>
          {#if !writable}<p class="problem mt-2">Your role cannot record. Ask a battery handler.</p>{/if}
        </div>
      </div>
    {/if}
  {/if}
</div>
