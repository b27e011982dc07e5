<script lang="ts">
  import { Dialog } from 'bits-ui';
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { shortDate } from '$shared/format/dates';
  import { clockOf } from '$shared/format/units';
  import { Resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import PersonForm from './PersonForm.svelte';

  type Person = Schemas['PersonOut'];
  type Role = Person['role'];
  const all = new Resource(() => call('GET', '/api/people'));
  const past = new Resource(() => call('GET', '/api/history'));
  const people = $derived(all.value);
  const history = $derived(past.value ?? []);
  let adding = $state(false);
  let first = $state.raw<Schemas['FirstPassword'] | null>(null);
  let own = $state({ old: '', new: '' });
  let ownProblem = $state.raw<Problem | null>(null);
  const lead = $derived(session.may('people:write'));
  const ROLES = [
    { value: 'lead', label: 'operations lead' },
    { value: 'pilot', label: 'pilot' },
    { value: 'handler', label: 'battery handler' },
    { value: 'viewer', label: 'viewer' },
  ];

  async function load() {
    await Promise.all([all.load(), past.load()]);
  }
  void load();
  async function added(made: Schemas['FirstPassword']) {
    adding = false;
    first = made;
    await load();
  }
  async function change(p: Person, part: { role?: Role; active?: boolean }) {
    const { problem: bad } = await call('PATCH', '/api/people/{person_id}', {
      params: { path: { person_id: p.id } },
      body: part,
    });
    if (bad) notices.say(bad.detail, { bad: true });
    else
      notices.say(`${p.username} changed`, {
        undo: () => void change(p, { role: p.role, active: p.active }),
      });
    await load();
  }
  async function reset(p: Person) {
    const { data, problem: bad } = await call('POST', '/api/people/{person_id}/password', {
      params: { path: { person_id: p.id } },
    });
    if (bad) notices.say(bad.detail, { bad: true });
    first = data;
    asking = null;
  }
  async function setOwn(e: SubmitEvent) {
    e.preventDefault();
    const { problem: bad } = await call('POST', '/api/me/password', { body: own });
    ownProblem = bad;
    if (!bad) {
      own = { old: '', new: '' };
      notices.say('Your password is changed');
    }
  }
  let asking = $state.raw<Person | null>(null);
  const when = (t: string) => `${shortDate(t)}, ${clockOf(t)}`;
</script>

<div class="mx-auto max-w-309 px-6 py-6">
  <div class="mb-5 flex items-end gap-4">
    <h1 class="mr-auto">People of {session.me?.organisation}</h1>
    <button class="button dark" disabled={!lead} onclick={() => (adding = true)}>Add a person</button>
  </div>
  <div class="grid grid-cols-[minmax(0,1fr)_300px] gap-10 max-tablet:grid-cols-1">
    <div>
      <Failed of={[all, past]} />
      {#if people === null}{#if !all.problem}<p class="quiet" role="status">Looking …</p>{/if}{:else}
        <table class="sheet-table bg-sheet">
          <thead
            ><tr><th>name</th><th>signs in as</th><th>role</th><th><span class="visually-hidden">what can be done</span></th></tr
            ></thead>
          <tbody>
            {#each people as p (p.id)}
              <tr>
                <td class="font-semibold"
                  >{p.full_name || '—'}{#if !p.active}<span class="problem"> · no access</span>{/if}</td>
                <td>{p.username}</td>
                <td>
                  {#if lead}<select
                      class="input"
                      aria-label="Role of {p.username}"
                      value={p.role}
                      onchange={(e) => change(p, { role: e.currentTarget.value as Role })}
                      >{#each ROLES as r (r.value)}<option value={r.value}>{r.label}</option>{/each}</select>
                  {:else}{ROLES.find((r) => r.value === p.role)?.label}{/if}
                </td>
                <td class="whitespace-nowrap text-right"
                  >{#if lead}<button class="button plain" onclick={() => (asking = p)}>New password</button><button
                      class="button plain"
                      onclick={() => change(p, { active: !p.active })}>{p.active ? 'Take access' : 'Give access'}</button
                    >{/if}</td>
              </tr>
            {/each}
          </tbody>
        </table>
      {/if}
      <h2 class="mb-1 mt-8">What was changed lately</h2>
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <ul class="m-0 max-h-103 list-none overflow-y-auto p-0" tabindex="0" aria-label="What was changed lately">
        {#each history.slice(0, 60) as h, k (k)}<li
            class="grid grid-cols-[120px_100px_1fr] gap-2 border-b border-rule py-1.5 text-small">
            <span class="quiet">{when(h.at)}</span><b>{h.who || 'the system'}</b><span
              >{h.label}: {h.action.replace('.', ' ').replaceAll('_', ' ')}{h.after && h.before
                ? ` (${Object.keys(h.after).join(', ').replaceAll('_', ' ')})`
                : ''}</span>
          </li>{:else}<li class="quiet py-2">Nothing yet.</li>{/each}
      </ul>
    </div>
    <form class="flex flex-col gap-3" onsubmit={setOwn}>
      <h2>Your own password</h2>
      <input class="hidden" autocomplete="username" value={session.me?.username} readonly aria-label="Name" />
      <TextField
        label="Present password"
        type="password"
        autocomplete="current-password"
        live
        value={own.old}
        onchange={(v) => (own.old = v)}
        problem={ownProblem?.field === 'old' ? ownProblem.detail : ''} />
      <TextField
        label="New password, ten characters or more"
        type="password"
        autocomplete="new-password"
        live
        value={own.new}
        onchange={(v) => (own.new = v)}
        problem={ownProblem && ownProblem.field !== 'old' ? ownProblem.detail : ''} />
      <button class="button self-start" disabled={!own.old || !own.new}>Change it</button>
    </form>
  </div>
</div>

<Dialog.Root bind:open={adding}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-4 text-head">A new person</Dialog.Title>
      <PersonForm roles={ROLES} onadded={added} oncancel={() => (adding = false)} />
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
<Dialog.Root bind:open={() => !!asking, (o) => !o && (asking = null)}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-3 text-head">A new password for {asking?.username}?</Dialog.Title>
      <p class="mb-4">The old one stops working at once, and all sessions of this person end.</p>
      <div class="flex justify-end gap-3">
        <Dialog.Close class="button">Cancel</Dialog.Close><button class="button dark" onclick={() => asking && reset(asking)}
          >Make a new one</button>
      </div>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
<Dialog.Root bind:open={() => !!first, (o) => !o && (first = null)}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-3 text-head">Hand this over, it is shown once</Dialog.Title>
      <p class="mb-1">
        {first?.person.full_name || first?.person.username} signs in as <b>{first?.person.username}</b> with
      </p>
      <p class="sharp my-3 select-all text-page">{first?.password}</p>
      <Dialog.Close class="button dark">Done</Dialog.Close>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
