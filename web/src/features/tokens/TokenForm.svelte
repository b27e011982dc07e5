<script lang="ts">
  import { call } from '$shared/api/call';
  import type { Problem, Schemas } from '$shared/api/client';
  import { formDraft } from '$shared/device/form-draft.svelte';
  import { session } from '$shared/session.svelte';
  import CameBack from '$shared/ui/CameBack.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import FormEnd from '$shared/ui/FormEnd.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import { toProblem } from '$shared/ui/toProblem';

  interface Props {
    onmade: (made: Schemas['NewToken']) => void;
    oncancel: () => void;
  }
  let { onmade, oncancel }: Props = $props();
  type Scope = Schemas['TokenIn']['scope'];
  const SCOPES = [
    { value: 'telemetry', label: 'report what happens on days' },
    { value: 'logs', label: 'import logs' },
    { value: 'read', label: 'read everything' },
  ];
  const DAYS = [
    { value: '1', label: 'a day' },
    { value: '7', label: 'a week' },
    { value: '90', label: '90 days' },
    { value: '365', label: 'a year' },
  ];
  const WHICH = [
    { value: '', label: 'every day' },
    { value: 'live', label: 'the day that runs now' },
  ];
  let form = $state({ name: '', scope: 'telemetry' as Scope, days: '90', which: '' });
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);
  const running = $derived(session.me?.live_day ?? null);
  const draft = formDraft(
    'token',
    () => form,
    (typed) => (form = typed),
  );

  async function send(e: SubmitEvent) {
    e.preventDefault();
    const sheet = e.currentTarget as HTMLFormElement;
    busy = true;
    const day_id = form.scope === 'telemetry' && form.which === 'live' ? running : null;
    const body = { name: form.name, scope: form.scope, days: Number(form.days), day_id };
    const answer = await call('POST', '/api/tokens', { body });
    busy = false;
    problem = answer.problem;
    if (!answer.data) return toProblem(sheet);
    draft.forget();
    onmade(answer.data);
  }
</script>

<form class="flex flex-col gap-3" onsubmit={send}>
  <CameBack {draft} />
  <TextField
    label="What for (gateway in the van)"
    live
    maxlength={80}
    value={form.name}
    onchange={(v) => (form.name = v)}
    problem={problem?.detail ?? ''} />
  <Choice stacked label="May" value={form.scope} options={SCOPES} onchange={(v) => (form.scope = v as Scope)} />
  {#if form.scope === 'telemetry' && running}<Choice
      stacked
      label="On"
      value={form.which}
      options={WHICH}
      onchange={(v) => (form.which = v)} />{/if}
  <Choice stacked label="Good for" value={form.days} options={DAYS} onchange={(v) => (form.days = v)} />
  <FormEnd {draft} leave={oncancel} busy={busy || !form.name.trim()}>Make token</FormEnd>
</form>
