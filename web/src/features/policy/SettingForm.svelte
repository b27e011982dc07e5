<!-- One setting of the policy set otherwise: its new value, and why. -->
<script lang="ts">
  import type { Problem, Schemas } from '$shared/api/client';
  import { formDraft } from '$shared/device/form-draft.svelte';
  import CameBack from '$shared/ui/CameBack.svelte';

  type Change = Schemas['PolicyChange'];
  interface Props {
    setting: Schemas['PolicyOut']['settings'][number];
    busy: boolean;
    /** What the server refused. */
    problem: Problem | null;
    /** Sends the change; true once the server has it. */
    send: (change: Change) => Promise<boolean>;
    oncancel: () => void;
  }
  let { setting: s, busy, problem, send, oncancel }: Props = $props();
  // svelte-ignore state_referenced_locally
  let text = $state(
    s.choices.length
      ? String(s.choices.findIndex((c) => c.value === s.value))
      : String(Number((Number(s.value) * s.scale).toFixed(4))),
  );
  // svelte-ignore state_referenced_locally
  let why = $state(s.own?.why ?? '');
  let unread = $state(false);
  // svelte-ignore state_referenced_locally
  const draft = formDraft(
    `policy/${s.key}`,
    () => ({ text, why }),
    (typed) => ({ text, why } = typed),
  );

  async function set(change: Change) {
    if (await send(change)) draft.forget();
  }
  async function save(e: SubmitEvent) {
    e.preventDefault();
    const n = Number(text.trim().replace(',', '.'));
    unread = !s.choices.length && (text.trim() === '' || Number.isNaN(n));
    if (unread) return;
    await set({ key: s.key, value: s.choices.length ? s.choices[Number(text)]!.value : n / s.scale, why });
  }
  function cancel() {
    draft.forget();
    oncancel();
  }
</script>

<form class="mt-2 flex flex-wrap items-end gap-2 border-t border-rule pt-2" onsubmit={save}>
  <CameBack {draft}><button type="button" class="button small" onclick={() => draft.anew()}>Begin anew</button></CameBack>
  <label class="flex flex-col gap-1"
    >New{s.unit ? `, ${s.unit}` : ''}
    {#if s.choices.length}<select class="input !w-54" bind:value={text}
        >{#each s.choices as c, k (k)}<option value={String(k)}>{c.words}</option>{/each}</select
      >{:else}<input
        class="input !w-26"
        inputmode="decimal"
        bind:value={text}
        aria-invalid={problem || unread ? 'true' : undefined} />{/if}</label>
  <label class="flex grow flex-col gap-1">Why<input class="input" maxlength="200" bind:value={why} /></label>
  <button class="button dark" disabled={busy}>Set it</button>
  {#if s.own}<button type="button" class="button" disabled={busy} onclick={() => set({ key: s.key, value: null, why: '' })}
      >Back to usual</button
    >{/if}
  <button type="button" class="button plain" onclick={cancel}>Cancel</button>
  {#if unread || problem}<p class="problem basis-full" role="alert">{unread ? 'Type a number.' : problem?.detail}</p>{/if}
</form>
