<script lang="ts">
  import { Dialog, DropdownMenu } from 'bits-ui';
  import { call } from '$shared/api/call';
  import { type Schemas } from '$shared/api/client';
  import { Resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import PersonForm from './PersonForm.svelte';

  type Person = Schemas['PersonOut'];
  type Role = Person['role'];
  const all = new Resource(() => call('GET', '/api/people'));
  const people = $derived(all.value);
  let adding = $state(false);
  let first = $state.raw<Schemas['FirstPassword'] | null>(null);
  const lead = $derived(session.may('people:write'));
  const ROLES = [
    { value: 'lead', label: 'operations lead' },
    { value: 'pilot', label: 'pilot' },
    { value: 'handler', label: 'battery handler' },
    { value: 'viewer', label: 'viewer' },
  ];

  async function load() {
    await all.load();
  }
  void load();
  async function added(made: Schemas['FirstPassword']) {
    adding = false;
    first = made;
    await load();
  }
  async function change(p: Person, part: { role?: Role; active?: boolean; email?: string }) {
    const { problem: bad } = await call('PATCH', '/api/people/{person_id}', {
      params: { path: { person_id: p.id } },
      body: part,
    });
    if (bad) notices.say(bad.detail, { bad: true });
    else
      notices.say(`${p.username} changed`, {
        undo: () => void change(p, { role: p.role, active: p.active, email: p.email }),
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
  type Question = { kind: 'password' | 'sessions' | 'steps' | 'anonymise'; person: Person };
  let asking = $state.raw<Question | null>(null);
  const QUESTIONS = {
    password: {
      title: 'A new password for',
      words: 'The old one stops working at once, and all sessions of this person end.',
      act: 'Make a new one',
    },
    sessions: {
      title: 'Sign out',
      words: 'All sessions of this person end, on every device. Taps that wait on a device are sent after signing in again.',
      act: 'End all sessions',
    },
    steps: {
      title: 'Remove the second step of',
      words:
        'For somebody whose phone or key is lost. All sessions of this person end, and the password alone signs in until a new one is set up. Make sure it is really this person who asks.',
      act: 'Remove second step',
    },
    anonymise: {
      title: 'Anonymise',
      words:
        'The name and e-mail go for good, from the history too. What this person did stays, done by a number. Names in notes and signatures stay, they are part of what was recorded. This cannot be undone.',
      act: 'Anonymise',
    },
  };
  async function act({ kind, person }: Question) {
    if (kind === 'password') return reset(person);
    const params = { path: { person_id: person.id } };
    const { problem: bad } =
      kind === 'sessions'
        ? await call('DELETE', '/api/people/{person_id}/sessions', { params })
        : kind === 'steps'
          ? await call('DELETE', '/api/people/{person_id}/second-steps', { params })
          : await call('POST', '/api/people/{person_id}/anonymise', { params });
    const done = { sessions: 'is signed out everywhere', steps: 'signs in by the password alone', anonymise: 'is anonymised' }[
      kind
    ];
    notices.say(bad?.detail ?? `${person.username} ${done}`, { bad: !!bad });
    asking = null;
    await load();
  }
</script>

<div class="mx-auto max-w-309 px-6 py-6">
  <div class="mb-5 flex items-end gap-4">
    <h1 class="mr-auto">People of {session.me?.organisation}</h1>
    <button class="button dark" disabled={!lead} onclick={() => (adding = true)}>Add a person</button>
  </div>
  <div>
    <div>
      <Failed of={all} />
      {#if people === null}{#if !all.problem}<p class="quiet" role="status">Looking …</p>{/if}{:else}
        <table class="sheet-table bg-sheet">
          <thead
            ><tr
              ><th>name</th><th class="max-hand:hidden">signs in as</th><th class="max-hand:hidden">e-mail</th><th>role</th><th
                class="max-hand:hidden">second step</th
              ><th><span class="visually-hidden">what can be done</span></th></tr
            ></thead>
          <tbody>
            {#each people as p (p.id)}
              <tr>
                <td class="font-semibold"
                  >{p.full_name || '—'}<span class="quiet hidden font-normal max-hand:block">{p.username}</span
                  >{#if !p.active}<span class="problem"> · no access</span>{/if}</td>
                <td class="max-hand:hidden">{p.username}</td>
                <td class="max-hand:hidden"
                  >{#if lead}<input
                      class="input"
                      type="email"
                      aria-label="E-mail of {p.username}"
                      placeholder="none"
                      value={p.email}
                      onchange={(e) => change(p, { email: e.currentTarget.value })} />{:else}{p.email || '—'}{/if}</td>
                <td>
                  {#if lead}<select
                      class="input min-w-36"
                      aria-label="Role of {p.username}"
                      value={p.role}
                      onchange={(e) => change(p, { role: e.currentTarget.value as Role })}
                      >{#each ROLES as r (r.value)}<option value={r.value}>{r.label}</option>{/each}</select>
                  {:else}{ROLES.find((r) => r.value === p.role)?.label}{/if}
                </td>
                <td class="max-hand:hidden">{p.second_steps ? 'set up' : '—'}</td>
                <td class="text-right"
                  >{#if lead}<DropdownMenu.Root>
                      <DropdownMenu.Trigger class="button plain whitespace-nowrap" aria-label="Change {p.username}"
                        >Change</DropdownMenu.Trigger>
                      <DropdownMenu.Portal>
                        <DropdownMenu.Content class="menu" align="end">
                          <DropdownMenu.Item class="menu-item" onSelect={() => (asking = { kind: 'password', person: p })}
                            >New password</DropdownMenu.Item>
                          {#if p.second_steps}<DropdownMenu.Item
                              class="menu-item"
                              onSelect={() => (asking = { kind: 'steps', person: p })}>Remove second step</DropdownMenu.Item
                            >{/if}
                          <DropdownMenu.Item class="menu-item" onSelect={() => (asking = { kind: 'sessions', person: p })}
                            >Sign out everywhere</DropdownMenu.Item>
                          <DropdownMenu.Item class="menu-item" onSelect={() => change(p, { active: !p.active })}
                            >{p.active ? 'Take access' : 'Give access'}</DropdownMenu.Item>
                          {#if !p.active}<DropdownMenu.Item
                              class="menu-item"
                              onSelect={() => (asking = { kind: 'anonymise', person: p })}>Anonymise</DropdownMenu.Item
                            >{/if}
                        </DropdownMenu.Content>
                      </DropdownMenu.Portal>
                    </DropdownMenu.Root>{/if}</td>
              </tr>
            {/each}
          </tbody>
        </table>
      {/if}
      <p class="mt-4 text-small">
        What was done by whom stands in the <a class="underline" href="/history">history</a>. Your own password, second step and
        sessions:
        <a class="underline" href="/account">your sign-in</a>.
      </p>
    </div>
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
      <Dialog.Title class="sharp mb-3 text-head"
        >{asking ? `${QUESTIONS[asking.kind].title} ${asking.person.username}?` : ''}</Dialog.Title>
      <p class="mb-4">{asking ? QUESTIONS[asking.kind].words : ''}</p>
      <div class="flex justify-end gap-3">
        <Dialog.Close class="button">Cancel</Dialog.Close><button class="button dark" onclick={() => asking && act(asking)}
          >{asking ? QUESTIONS[asking.kind].act : ''}</button>
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
