<!-- A preflight list made for a minute in the cold: one check fills the eye, big answers, the verdict at once. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { minutes, show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import Gate from '$shared/ui/Gate.svelte';
  import { help } from '$shared/ui/help.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import WindArrow from '$shared/ui/WindArrow.svelte';
  import { asShown, boundWords, likelyOf, nextOpen, padded, spoken, type Check, type Entered, type Known } from './checks';

  type List = Schemas['PreflightOut'];
  let { id }: { id: string } = $props();
  let list = $state.raw<List | null>(null);
  let failed = $state('');
  let problem = $state.raw<Problem | null>(null);
  let at = $state('');
  let digits = $state('');
  let minus = $state(false);
  let cell = $state(0);
  let cells = $state<string[]>([]);
  let asking = $state(false);
  let name = $state('');
  let reason = $state('');
  let busy = $state(false);
  let known = $state.raw<Known>({});
  let remarking = $state<'' | 'defect' | 'not applicable'>('');
  let remark = $state('');
  let typed = $state(false);
  // Cleared and launched: what only flight can show, until somebody decides to go on or to come back.
  const launched = $derived(list?.state === 'cleared' || list?.state === 'overridden');
  const climb = $derived((list?.parts ?? []).filter((p) => p.part === 'climb').flatMap((p) => p.lines));
  const inClimb = $derived(launched && climb.length > 0);
  const writable = $derived(session.may('preflight:write') && (list?.state === 'open' || inClimb));
  const before = $derived((list?.parts ?? []).filter((p) => p.part !== 'climb').flatMap((p) => p.lines));
  const checks = $derived(inClimb ? climb : before);
  const now = $derived(checks.find((c) => c.key === at) ?? null);
  const done = $derived(checks.filter((c) => c.done).length);

  function take(data: List | null, bad: Problem | null, step = false) {
    problem = bad;
    if (!data) return;
    list = data;
    if (!at || step) go(nextOpen(checks, at));
  }
  async function load() {
    const { data, problem: bad } = await call('GET', '/api/preflights/{preflight_id}', {
      params: { path: { preflight_id: id } },
    });
    failed = bad?.detail ?? '';
    if (data) take(data, null);
    if (data) void look();
  }
  /** What records, the plan, the running day and the aircraft tell already. */
  async function look() {
    const { data } = await call('GET', '/api/preflights/{preflight_id}/known', { params: { path: { preflight_id: id } } });
    known = (data ?? {}) as Known;
    if (cells.every((c) => !c)) cells = boxes();
  }
  $effect(() => void load());
  // What the aircraft tells in its first climb is asked for while it climbs.
  $effect(() => {
    if (!inClimb) return;
    const again = setInterval(() => void look(), 5000);
    return () => clearInterval(again);
  });

  /** The cells to type over: those of the last test, where there was one. */
  function boxes(): string[] {
    const told = known.cells?.value;
    const count = list?.cells ?? 0;
    return Array.isArray(told) && told.length === count ? told.map((v) => String(Math.round(v * 100))) : Array(count).fill('');
  }
  function go(key: string) {
    at = key;
    digits = '';
    minus = false;
    cell = 0;
    cells = boxes();
    problem = null;
    remarking = '';
    remark = '';
    typed = false;
  }
  async function save(body: Schemas['EntriesIn'], on: boolean) {
    if (!writable || busy) return;
    busy = true;
    const { data, problem: bad } = await call('PATCH', '/api/preflights/{preflight_id}', {
      params: { path: { preflight_id: id } },
      body,
    });
    busy = false;
    take(data, bad, on);
  }
  const enter = (key: string, value: Entered) => save({ entries: { [key]: value }, remarks: {} }, value !== null);
  const part = $derived(list?.parts.find((p) => p.lines.some((c) => c.key === at)) ?? null);
  const together = $derived(part ? asShown(part.lines, known) : {});
  const several = $derived(Object.keys(together).length);
  async function answer(e: SubmitEvent) {
    e.preventDefault();
    if (now && remarking) await save({ entries: {}, remarks: { [now.key]: { answer: remarking, words: remark } } }, true);
  }
  function press(d: string) {
    if (!now) return;
    if (now.entry === 'cells') {
      if (d === '−' || d === '.') return;
      typed = true;
      const held = cells[cell]!.length >= 3 ? d : cells[cell]! + d;
      cells[cell] = held;
      if (held.length === 3 && cell < cells.length - 1) cell += 1;
      else if (held.length === 3 && !known.cells && cells.every((c) => c.length === 3)) void keep();
    } else if (d === '−') minus = !minus;
    else if (d !== '.' || !digits.includes('.')) digits += d;
  }
  function wipe() {
    if (now?.entry !== 'cells') digits = digits.slice(0, -1);
    else if (cells[cell]) cells[cell] = cells[cell]!.slice(0, -1);
    else if (cell > 0) cells[--cell] = '';
  }
  async function keep() {
    if (!now) return;
    if (now.entry === 'tick') return enter(now.key, true);
    if (now.entry === 'cells') {
      if (cells.every((c) => c.length === 3))
        await enter(
          now.key,
          cells.map((c) => Number(c) / 100),
        );
      return;
    }
    if (digits && digits !== '.') await enter(now.key, ((minus ? -1 : 1) * Number(digits)) / now.scale);
  }
  async function close() {
    const { data, problem: bad } = await call('POST', '/api/preflights/{preflight_id}/clear', {
      params: { path: { preflight_id: id } },
    });
    take(data, bad);
    if (data) {
      notices.say('Cleared for take-off');
      go(nextOpen(checks, ''));
    }
  }
  async function decide(goOn: boolean) {
    const { data, problem: bad } = await call('POST', '/api/preflights/{preflight_id}/climb', {
      params: { path: { preflight_id: id } },
      body: { go_on: goOn },
    });
    take(data, bad);
  }
  async function override(e: SubmitEvent) {
    e.preventDefault();
    const { data, problem: bad } = await call('POST', '/api/preflights/{preflight_id}/override', {
      params: { path: { preflight_id: id } },
      body: { name, reason },
    });
    take(data, bad);
    if (data) {
      asking = false;
      go(nextOpen(checks, ''));
    }
  }
  function keys(e: KeyboardEvent) {
    if ((e.target as HTMLElement).closest('input, textarea, select, [role="dialog"]') || e.ctrlKey || e.metaKey || !now) return;
    const number = now.entry !== 'tick';
    if (number && /^[0-9]$/.test(e.key)) press(e.key);
    else if (number && (e.key === '.' || e.key === ',')) press('.');
    else if (number && e.key === '-') press('−');
    else if (number && e.key === 'Backspace') wipe();
    else if ((e.key === 'Enter' || (e.key === ' ' && !number)) && !(e.target as HTMLElement).closest('button, a')) void keep();
    else if (e.key === 'ArrowDown' || e.key === 'ArrowUp') step(e.key === 'ArrowDown' ? 1 : -1);
    else return;
    e.preventDefault();
    e.stopPropagation();
  }
  function step(by: number) {
    const k = checks.findIndex((c) => c.key === at);
    const to = checks[Math.min(checks.length - 1, Math.max(0, k + by))];
    if (to) go(to.key);
  }
  /** What has failed in the first climb is said at once, whatever else is open. */
  const failedInClimb = $derived(
    list?.parts.some((p) => p.part === 'climb' && p.lines.some((c) => c.done && c.verdict === 'no')) ?? false,
  );
  const shown = $derived(now?.entry === 'number' ? padded(digits, minus) : '');
  const entered = (c: Check) =>
    c.answer ? (c.answer === 'defect' ? 'defect' : 'n/a') : spoken(c, list?.entries[c.key]?.value ?? null);
  const wind = $derived(list?.hour?.measured[0] ?? list?.hour?.forecast ?? null);
  $effect(() =>
    help.offer('preflight', [{ id: 'print-preflight', label: 'Print this list', keys: 'P', run: () => window.print() }]),
  );
</script>

<svelte:window onkeydowncapture={keys} />
{#if failed}
  <div class="p-10">
    <p class="problem mb-3" role="alert">{failed}</p>
    <a class="button" href="/preflight">All lists</a>
  </div>
{:else if !list}
  <p class="quiet p-6" role="status">Unfolding the list …</p>
{:else}
  <div class="list grid min-h-[calc(100dvh-68px)] grid-cols-[minmax(0,1fr)_430px]">
    <div class="work flex min-w-0 flex-col px-6 py-4 text-lead">
      <div class="flex flex-wrap items-baseline gap-x-4 gap-y-1">
        <h1 class="!text-call">{list.letter}{list.sortie}</h1>
        <span
          >{list.aircraft} · {list.packs.length > 1 ? 'packs' : 'pack'}
          <b>{list.packs.map((p) => p.name).join(' + ')}</b>{list.minutes ? ` · ${minutes(list.minutes)} min planned` : ''} · {list.job}</span>
        <a class="no-print button ml-auto" href="/preflight">All lists</a>
      </div>
      <div class="my-3 rounded border-2 border-ink bg-sheet p-4" aria-live="polite" data-testid="preflight-verdict">
        <div class="flex flex-wrap items-center gap-x-6 gap-y-2">
          <Gate
            word={list.word}
            size={40}
            class="text-call leading-none"
            text={list.state === 'overridden'
              ? 'Overridden'
              : list.state === 'cleared'
                ? 'Cleared'
                : list.open_count && !list.reasons.length
                  ? `${list.open_count} open`
                  : undefined} />
          {#if list.open_count && list.reasons.length}<span class="text-title">{list.open_count} not done yet</span>{/if}
          {#if wind?.from_deg != null}<span class="ml-auto flex items-center gap-2 text-title"
              ><WindArrow from={wind.from_deg} size={30} /> gust {show(wind.gust_m_s ?? 0, 'm_s', session.units)}</span
            >{/if}
        </div>
        {#if list.reasons.length}<ul class="mb-0 mt-2 pl-5 text-title">
            {#each list.reasons.slice(0, 4) as r, nth (nth)}<li class={list.hard.includes(r) ? 'problem' : ''}>
                {r}{list.hard.includes(r) ? ' Nobody may override this.' : ''}
              </li>{/each}
          </ul>{/if}
        {#if list.people?.relief_s}<p class="mb-0 mt-2">
            Feels like {show(list.people.chill_c, 'c', session.units, 0)}: relieve the crew every {Math.round(
              list.people.relief_s / 60,
            )}
            min. Numb fingers end the flight.
          </p>{/if}
        {#if inClimb || list.state === 'went on' || list.state === 'came back'}
          <div class="mt-2 border-t border-rule pt-2 text-title" data-testid="climb-verdict">
            <b
              >{list.state === 'went on'
                ? 'Went on after the first climb.'
                : list.state === 'came back'
                  ? 'Came back after the first climb.'
                  : failedInClimb
                    ? 'First climb: come back.'
                    : list.climb_open_count
                      ? `Launched: ${list.climb_open_count} checks of the first climb are open.`
                      : `First climb: ${list.climb_words}.`}</b>
            {#each list.climb_reasons as r, nth (nth)}<p class="m-0 mt-1 {list.climb_word === 'no' ? 'problem' : 'text-copper'}">
                {r}
              </p>{/each}
          </div>
        {/if}
        {#if list.override}<p class="mb-0 mt-2">
            <b>{list.override.name}</b> decided: “{list.override.reason}” (entered by {list.override.by}). Overridden: {list.override.in_spite_of.join(
              ' ',
            )}
          </p>{/if}
      </div>
      {#if now && (list.state === 'open' || inClimb)}
        <div class="no-print flex min-h-0 flex-1 flex-col" data-testid="check">
          <div class="mb-1 text-page leading-tight"><span class="sharp">{now.words}</span></div>
          {#if now.because}<p class="mb-1 mt-0 text-lead" data-testid="because">
              <b>By the weather:</b>
              {now.because}
            </p>{/if}
          {#if now.caution}<p class="mb-1 mt-0 text-lead text-copper">{now.caution}</p>{/if}
          {#if boundWords(now)}<p class="quiet mb-1 mt-0">{boundWords(now)}</p>{/if}
          {#if now.answer}<p class="mb-1 mt-0 text-lead" data-testid="remark">
              <b class={now.answer === 'defect' ? 'text-madder' : ''}
                >{now.answer === 'defect' ? '✕ Defect' : 'Not applicable'}:</b>
              {now.remark}{now.answer === 'defect' ? `. ${now.follows}` : ''}
            </p>{/if}
          {#if problem && problem.field !== 'name' && problem.field !== 'reason'}<p class="problem text-title" role="alert">
              {problem.detail}
            </p>{/if}
          {#if writable}
            <div class="no-print mb-2 flex flex-wrap gap-2" data-testid="answers">
              {#if several > 1}<button
                  class="button !min-h-tap-large !border-2 text-lead"
                  disabled={busy}
                  onclick={() => save({ entries: together, remarks: {} }, true)}
                  >✓ All {several} of “{part!.words}” as listed</button
                >{/if}
              {#if now.answer || (now.entry === 'tick' && now.done)}<button
                  class="button !min-h-tap-large"
                  onclick={() => enter(now!.key, null)}>Open it again</button
                >{/if}
              <button
                class="button !min-h-tap-large"
                aria-expanded={remarking === 'defect'}
                onclick={() => (remarking = remarking === 'defect' ? '' : 'defect')}>Defect …</button>
              <button
                class="button !min-h-tap-large"
                aria-expanded={remarking === 'not applicable'}
                onclick={() => (remarking = remarking === 'not applicable' ? '' : 'not applicable')}>Not applicable …</button>
            </div>
            {#if remarking}
              <form class="no-print mb-2 grid gap-2 border-y-2 border-ink py-3" onsubmit={answer} aria-label={now.words}>
                <label
                  >{remarking === 'defect' ? 'What is wrong' : 'Why it does not apply here'}<input
                    class="input !h-tap"
                    maxlength="200"
                    bind:value={remark}
                    aria-invalid={problem?.field === now.key || undefined} /></label>
                {#if remarking === 'defect'}<p class="m-0">{now.follows}</p>{/if}
                <div class="flex gap-3">
                  <button class="button dark !min-h-tap"
                    >{remarking === 'defect' ? 'Record defect' : 'Record as not applicable'}</button>
                  <button class="button !min-h-tap" type="button" onclick={() => (remarking = '')}>Cancel</button>
                </div>
              </form>
            {/if}
          {/if}
          {#if now.entry !== 'tick' && likelyOf(now, known).length}<div
              class="mb-2 flex flex-wrap items-center gap-2"
              role="group"
              aria-label="Likely values">
              {#each likelyOf(now, known) as l (l.words)}<button
                  class="button !min-h-tap-large {l.from ? 'flex-col !gap-0 !border-2' : ''}"
                  disabled={!writable || busy}
                  onclick={() => enter(now!.key, l.value)}
                  ><span class="text-head">{l.words}</span>{#if l.from}<span class="text-body font-normal">{l.from}</span
                    >{/if}</button
                >{/each}
            </div>{/if}
          {#if now.entry === 'tick'}
            <button class="button dark mt-2 !min-h-38 text-large" disabled={!writable} onclick={keep}
              >{now.done ? 'Done ✓' : 'Done'}</button>
          {:else}
            <div class="grid grid-cols-[minmax(0,1fr)_270px] gap-4 max-phone:grid-cols-1">
              <div>
                {#if now.entry === 'cells'}
                  <div class="grid gap-2" style="grid-template-columns: repeat({Math.min(4, cells.length)}, minmax(0, 1fr))">
                    {#each cells as c, k (k)}
                      <button
                        class="rounded border-2 bg-field py-2 text-center {k === cell
                          ? 'border-ink shadow-[inset_0_-5px_0_var(--ink)]'
                          : 'border-rule'}"
                        aria-label="Cell {k + 1}: {c || 'empty'}"
                        aria-pressed={k === cell}
                        onclick={() => (cell = k)}
                        ><span class="quiet block text-small">cell {k + 1}</span><span class="sharp block min-h-11.5 text-large"
                          >{c ? `${c[0]}.${c.slice(1)}` : '·'}</span
                        ></button>
                    {/each}
                  </div>
                {:else}
                  <div class="rounded border-2 border-ink bg-field p-3 text-center" aria-label="Typed">
                    <span class="sharp text-clock leading-none">{shown || entered(now) || '·'}</span><span class="ml-2 text-page"
                      >{now.unit}</span>
                  </div>
                {/if}
                <button
                  class="button dark mt-3 !min-h-35 w-full text-page"
                  disabled={!writable || busy || (now.entry === 'cells' ? !cells.every((c) => c.length === 3) : !digits)}
                  onclick={keep}
                  >{now.entry === 'cells' && known.cells && !typed ? `Save as shown: ${known.cells.words}` : 'Save'}</button>
              </div>
              <div class="grid grid-cols-3 gap-2" role="group" aria-label="Keys">
                {#each ['7', '8', '9', '4', '5', '6', '1', '2', '3', now.entry === 'cells' ? '' : '−', '0', now.entry === 'cells' ? '' : '.'] as k, n (n)}
                  {#if k}<button class="button !min-h-tap-large text-page" onclick={() => press(k)}>{k}</button>{:else}<span
                    ></span
                    >{/if}
                {/each}
                <button class="button col-span-3 !min-h-tap text-head" onclick={wipe}>delete</button>
              </div>
            </div>
          {/if}
        </div>
      {/if}
      <div class="no-print mt-3 flex flex-wrap gap-3">
        {#if list.state === 'open'}
          <button class="button dark !min-h-tap-large !px-7 text-head" disabled={!writable || list.word === 'no'} onclick={close}
            >Clear for take-off</button>
          {#if list.word === 'no'}<button
              class="button !min-h-tap-large"
              disabled={!list.may_override || !session.may('limits:override')}
              title={list.hard[0] ?? ''}
              onclick={() => (asking = !asking)}
              aria-expanded={asking}>Override …</button
            >{/if}
        {:else if inClimb}
          <button
            class="button dark !min-h-tap-call flex-2 text-page"
            disabled={!writable || list.climb_word === 'no'}
            onclick={() => decide(true)}>Go on</button>
          <button class="button !min-h-tap-call flex-1 text-page" disabled={!writable} onclick={() => decide(false)}
            >Come back</button>
        {:else}<button
            class="button dark !min-h-tap-large"
            onclick={() => goto(`/preflight?job=${list!.job_id}&sortie=${list!.sortie + 1}`)}>Next list</button
          >{/if}
        <button class="button !min-h-tap-large" onclick={() => window.print()}>Print</button>
      </div>
      {#if asking && list.state === 'open'}
        <form
          class="no-print mt-3 grid gap-2 rounded border-2 border-madder bg-wash-madder p-4"
          onsubmit={override}
          aria-label="Override">
          <b
            >Against {list.reasons.length ? list.reasons.length : list.open_count}
            {list.reasons.length ? 'reasons' : 'open checks'}. Your name and reason stay with the flight.</b>
          <label
            >Who decides<input
              class="input"
              maxlength="120"
              bind:value={name}
              aria-invalid={problem?.field === 'name' || undefined} /></label>
          {#if problem?.field === 'name'}<p class="problem m-0" role="alert">{problem.detail}</p>{/if}
          <label
            >Why<input
              class="input"
              maxlength="500"
              bind:value={reason}
              aria-invalid={problem?.field === 'reason' || undefined} /></label>
          {#if problem?.field === 'reason'}<p class="problem m-0" role="alert">{problem.detail}</p>{/if}
          <div class="flex gap-3">
            <button class="button dark">Record override</button><button
              class="button"
              type="button"
              onclick={() => (asking = false)}>Cancel</button>
          </div>
        </form>
      {/if}
      <p class="quiet mt-3 text-note">
        The pilot in command may always be stricter. The maker's manual and local law take precedence over this list.
      </p>
    </div>
    <aside class="bg-sheet px-5 py-4" aria-label="The list">
      <p class="m-0 mb-1">{done} of {checks.length} done</p>
      <progress class="h-2 w-full" value={done} max={Math.max(1, checks.length)} aria-label="Checks done"></progress>
      {#each list.parts as p (p.part)}
        <h2 class="mb-1 mt-4 flex justify-between">
          <span>{p.words}</span><span class="quiet font-normal">{p.open ? `${p.open} open` : 'done'}</span>
        </h2>
        <ol class="m-0 list-none p-0">
          {#each p.lines as c (c.key)}
            <li>
              <button
                class="row grid w-full grid-cols-[24px_1fr_auto] items-center gap-2 border-b border-rule text-left {c.key ===
                  at && writable
                  ? 'bg-ink text-sheet'
                  : ''}"
                disabled={!checks.some((x) => x.key === c.key)}
                onclick={() => go(c.key)}>
                <span class={c.done && c.verdict !== 'go' ? 'text-madder' : ''}
                  >{!c.done
                    ? '○'
                    : c.answer === 'not applicable'
                      ? '–'
                      : c.verdict === 'go'
                        ? '✓'
                        : c.verdict === 'care'
                          ? '!'
                          : '✕'}</span>
                <span
                  >{c.words}{#if c.because}<span class="block text-small">by the weather</span>{/if}</span
                >{#if !c.done && known[c.key]}<span class="text-small"
                    >{spoken(c, known[c.key]!.value)}, {known[c.key]!.words}</span
                  >{:else}<b>{entered(c)}</b>{/if}
              </button>
            </li>
          {/each}
        </ol>
      {/each}
    </aside>
  </div>
{/if}

<style>
  .row {
    min-height: max(34px, calc(var(--target) - 8px));
    padding: 0 4px;
    border-width: 0 0 1px;
    border-style: solid;
    background: none;
    font: inherit;
    color: inherit;
    cursor: pointer;
  }
  .row.bg-ink {
    background: var(--ink);
    color: var(--sheet);
  }
  @media (min-width: 901px) {
    .work {
      position: sticky;
      top: 0;
      align-self: start;
      min-height: calc(100dvh - 68px);
    }
  }
  @media (max-width: 900px) {
    .list {
      grid-template-columns: minmax(0, 1fr);
    }
  }
  @media print {
    .list {
      display: block;
    }
    .row.bg-ink {
      background: none;
      color: inherit;
    }
  }
</style>
