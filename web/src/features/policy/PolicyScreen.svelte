<script lang="ts">
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { date } from '$shared/format/dates';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import SettingForm from './SettingForm.svelte';

  type Policy = Schemas['PolicyOut'];
  type Setting = Policy['settings'][number];
  type Value = Setting['value'];
  let policy = $state.raw<Policy | null>(null);
  let failed = $state('');
  let open = $state('');
  let problem = $state.raw<Problem | null>(null);
  let history = $state.raw<Schemas['HistoryLine'][]>([]);
  let busy = $state(false);
  const writable = $derived(session.may('policy:write'));
  const groups = $derived([...new Set(policy?.settings.map((s) => s.group) ?? [])]);

  async function load() {
    const { data, problem: bad } = await call('GET', '/api/policy');
    failed = bad?.detail ?? '';
    if (data) policy = data;
    const past = await call('GET', '/api/history', { params: { query: { thing: 'policy' } } });
    failed ||= past.problem?.detail ?? '';
    if (past.data) history = past.data.items;
  }
  void load();
  const said = (s: Setting, v: Value) =>
    s.choices.length
      ? (s.choices.find((c) => c.value === v)?.words ?? String(v))
      : `${Number((Number(v) * s.scale).toFixed(4))}${s.unit ? ` ${s.unit}` : ''}`;
  function edit(s: Setting) {
    open = s.key;
    problem = null;
  }
  async function send(changes: Schemas['PolicyChange'][], undo?: Schemas['PolicyChange'][]) {
    busy = true;
    const { data, problem: bad } = await call('PUT', '/api/policy', {
      body: { version: policy!.version, changes },
    });
    busy = false;
    problem = bad;
    if (bad?.code === 'stale') await load();
    if (!data) return false;
    policy = data;
    open = '';
    notices.say('Set. Every pack is judged anew', undo ? { undo: () => void send(undo) } : {});
    void load();
    return true;
  }
  const before = (s: Setting): Schemas['PolicyChange'][] => [{ key: s.key, value: s.own?.value ?? null, why: s.own?.why ?? '' }];
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
                  <SettingForm
                    setting={s}
                    {busy}
                    {problem}
                    send={(change) => send([change], before(s))}
                    oncancel={() => (open = '')} />
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
