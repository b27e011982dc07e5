<!-- Somebody new in the company: name, sign-in and role. The first password is made by the server. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { formDraft } from '$shared/device/form-draft.svelte';
  import CameBack from '$shared/ui/CameBack.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import FormEnd from '$shared/ui/FormEnd.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import { toProblem } from '$shared/ui/toProblem';

  type Role = Schemas['PersonOut']['role'];
  interface Props {
    roles: { value: string; label: string }[];
    onadded: (made: Schemas['FirstPassword']) => void;
    oncancel: () => void;
  }
  let { roles, onadded, oncancel }: Props = $props();
  let form = $state({ username: '', full_name: '', email: '', role: 'pilot' as Role });
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);
  const draft = formDraft(
    'person',
    () => form,
    (typed) => (form = typed),
  );

  async function add(e: SubmitEvent) {
    e.preventDefault();
    const sheet = e.currentTarget as HTMLFormElement;
    busy = true;
    const answer = await call('POST', '/api/people', { body: form });
    busy = false;
    problem = answer.problem;
    if (!answer.data) return toProblem(sheet);
    draft.forget();
    onadded(answer.data);
  }
</script>

<form class="flex flex-col gap-3" onsubmit={add}>
  <CameBack {draft} />
  <TextField
    label="Full name"
    live
    value={form.full_name}
    onchange={(v) => (form.full_name = v)}
    problem={problem?.field === 'full_name' ? problem.detail : ''} />
  <TextField
    label="Signs in as"
    live
    value={form.username}
    onchange={(v) => (form.username = v)}
    problem={problem && !['full_name', 'email'].includes(problem.field) ? problem.detail : ''} />
  <TextField
    label="E-mail, for signing in and a forgotten password (optional)"
    live
    type="email"
    value={form.email}
    onchange={(v) => (form.email = v)}
    problem={problem?.field === 'email' ? problem.detail : ''} />
  <Choice label="Role" value={form.role} options={roles} onchange={(v) => (form.role = v as Role)} />
  <FormEnd {draft} leave={oncancel} busy={busy || form.username.length < 2}>Add</FormEnd>
</form>
