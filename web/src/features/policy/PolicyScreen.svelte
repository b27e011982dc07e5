<script lang="ts">
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { date } from '$shared/format/dates';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';

  type Policy = Schemas['PolicyOut'];
  type Setting = Policy['settings'][number];
  type Value = Setting['value'];
  let policy = $state.raw<Policy | null>(null);
  let failed = $state('');
  let open = $state('');
  let text = $state('');
  let why = $state('');
  let problem = $state.raw<Problem | null>(null);
  let history = $state.raw<Schemas['HistoryOut'][]>([]);
  let busy = $state(false);
  const writable = $derived(session.may('policy:write'));
  const groups = $derived([...new Set(policy?.settings.map((s) => s.group) ?? [])]);

  async function load() {
    const { data, problem: bad } = await call('GET', '/api/policy');
    failed = bad?.detail ?? '';
    if (data) policy = data;
    const past = await call('GET', '/api/history');
    failed ||= past.problem?.detail ?? '';
    if (past.data) history = past.data.filter((h) => h.action === 'policy.changed');
  }
  void load();
  const said = (s: Setting, v: Value) =>
    s.choices.length
      ? (s.choices.find((c) => c.value === v)?.words ?? String(v))
      : `${Number((Number(v) * s.scale).toFixed(4))}${s.unit ? ` ${s.unit}` : ''}`;
  function edit(s: Setting) {
    open = s.key;
    problem = null;
    why = s.own?.why ?? '';
    text = s.choices.length
      ? String(s.choices.findIndex((c) => c.value === s.value))
      : String(Number((Number(s.value) * s.scale).toFixed(4)));
  }
  async function send(changes: Schemas['PolicyChange'][], undo?: Schemas['PolicyChange'][]) {
    busy = true;
    const { data, problem: bad } = await call('PUT', '/api/policy', {
      body: { version: policy!.version, changes },
    });
    busy = false;
    problem = bad;
    if (bad?.code === 'stale') await load();
    if (!data) return;
    policy = data;
    open = '';
    notices.say('Set. Every pack is judged anew', undo ? { undo: () => void send(undo) } : {});
    await load();
  }
  const before = (s: Setting): Schemas['PolicyChange'][] => [{ key: s.key, value: s.own?.value ?? null, why: s.own?.why ?? '' }];
  async function save(e: SubmitEvent, s: Setting) {
    e.preventDefault();
    const n = Number(text.trim().replace(',', '.'));
    if (!s.choices.length && (text.trim() === '' || Number.isNaN(n))) {
      problem = { status: 422, code: 'invalid', field: s.key, detail: 'Type a number.' };
      return;
    }
    const value = s.choices.length ? s.choices[Number(text)]!.value : n / s.scale;
    await send([{ key: s.key, value, why }], before(s));
  }
  const when = (t: string) => date(t);
</script>

<div class="mx-auto max-w-309 px-6 py-6">
  <h1 class="mb-2">Policy of {session.me?.organisation}</h1>
  <p class="quiet mb-5 max-w-206">
    Where practitioners disagree, a company decides. Each line says what is usual and why; what you set otherwise needs your
    reason. The maker's manual and the law take precedence.
  </p>
  {#if failed}<p class="problem" role="alert">{failed} <button class="button" onclick={load}>Try again</button></p>
  {:else if !policy}<p class="quiet" role="status">Looking it up …</p>
  {:else}
    {#each groups as g (g)}
      <h2 class="mt-6 mb-1">{g}</h2>
      <table class="sheet-table bg-sheet" data-testid="policy">
        <tbody>
          {#each policy.settings.filter((s) => s.group === g) as s (s.key)}
            <tr id={s.key} class={s.own ? 'shadow-[inset_3px_0_0_var(--copper)]' : ''}>
              <td class="w-77 align-top">{s.words}</td>
              <td class="w-49 align-top">
                <b>{said(s, s.value)}</b>
                {#if s.own}<div class="quiet text-note">usual {said(s, s.default)}</div>{/if}
              </td>
              <td class="align-top text-small">
                {#if s.own}<div><b>{s.own.why}</b> <span class="quiet">· {s.own.by}, {when(s.own.at)}</span></div>{/if}
                <div class={s.own ? 'quiet' : ''}>
                  {s.reason[0]!.toUpperCase() + s.reason.slice(1)}. <i class="quiet">{s.source}</i>
                </div>
                {#if open === s.key}
                  <form class="mt-2 flex flex-wrap items-end gap-2 border-t border-rule pt-2" onsubmit={(e) => save(e, s)}>
                    <label class="flex flex-col gap-1"
                      >New{s.unit ? `, ${s.unit}` : ''}
                      {#if s.choices.length}<select class="input !w-54" bind:value={text}
                          >{#each s.choices as c, k (k)}<option value={String(k)}>{c.words}</option>{/each}</select
                        >{:else}<input
                          class="input !w-26"
                          inputmode="decimal"
                          bind:value={text}
                          aria-invalid={problem ? 'true' : undefined} />{/if}</label>
                    <label class="flex grow flex-col gap-1">Why<input class="input" maxlength="200" bind:value={why} /></label>
                    <button class="button dark" disabled={busy}>Set it</button>
                    {#if s.own}<button
                        type="button"
                        class="button"
                        disabled={busy}
                        onclick={() => send([{ key: s.key, value: null, why: '' }], before(s))}>Back to usual</button
                      >{/if}
                    <button type="button" class="button plain" onclick={() => (open = '')}>Cancel</button>
                    {#if problem}<p class="problem basis-full" role="alert">{problem.detail}</p>{/if}
                  </form>
                {/if}
              </td>
              <td class="w-20 align-top text-right"
                ><button
                  class="button plain"
                  disabled={!writable}
                  title={writable ? '' : 'Only a lead sets the policy'}
                  aria-label="Set: {s.words}"
                  aria-expanded={open === s.key}
                  onclick={() => edit(s)}>Set</button
                ></td>
            </tr>
          {/each}
        </tbody>
      </table>
    {/each}
    <h2 class="mt-8 mb-1">Who changed what</h2>
    {#if !history.length}<p class="quiet">Nothing has been set otherwise yet.</p>{/if}
    <ul class="m-0 list-none p-0">
      {#each history as h, k (k)}<li
          class="grid grid-cols-[120px_120px_1fr] gap-2 max-phone:grid-cols-1 border-b border-rule py-1.5 text-small">
          <span class="quiet">{when(h.at)}</span><b>{h.who}</b><span
            >{Object.keys({ ...h.before, ...h.after })
              .map((key) => policy?.settings.find((s) => s.key === key)?.words ?? key)
              .join(', ')}</span>
        </li>{/each}
    </ul>
  {/if}
</div>
