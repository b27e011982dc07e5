<!-- The menus of the header: one's own, and in the hand the places that the bar has no room for. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { AlertDialog, DropdownMenu } from 'bits-ui';
  import { session } from '$shared/session.svelte';
  import { notices } from './notices.svelte';

  interface Props {
    menu: '' | 'account' | 'more';
    who: HTMLElement | null;
    more: HTMLElement | null;
    far: { href: string; label: string }[];
  }
  let { menu = $bindable(), who, more, far }: Props = $props();
  const lights = [
    { id: 'day', label: 'Daylight' },
    { id: 'sun', label: 'Bright sun' },
    { id: 'night', label: 'Night, red only' },
  ] as const;

  let unsent = $state(0);
  async function leave(anyway = false) {
    const { waiting, problem } = await session.signOut(anyway);
    unsent = waiting;
    if (problem) notices.say('No link to the server: you can sign out when it is back.', { bad: true });
    else if (!waiting) await goto('/sign-in');
  }
</script>

<DropdownMenu.Root bind:open={() => menu === 'account', (o) => (menu = o ? 'account' : '')}>
  <DropdownMenu.Portal>
    <DropdownMenu.Content
      class="menu"
      align="end"
      sideOffset={6}
      customAnchor={who}
      onInteractOutside={(e) => who?.contains(e.target as Node) && e.preventDefault()}
      onCloseAutoFocus={(e) => {
        e.preventDefault();
        who?.focus();
      }}>
      <DropdownMenu.Group aria-label="Light">
        {#each lights as l (l.id)}
          <DropdownMenu.CheckboxItem
            class="menu-item"
            checked={session.me?.light === l.id}
            onSelect={() => session.prefer({ light: l.id })}>
            {#snippet children({ checked })}<span class="w-4">{checked ? '✓' : ''}</span>{l.label}{/snippet}
          </DropdownMenu.CheckboxItem>
        {/each}
      </DropdownMenu.Group>
      <DropdownMenu.Separator class="menu-line" />
      <DropdownMenu.CheckboxItem
        class="menu-item"
        checked={session.me?.gloves ?? false}
        onSelect={() => session.prefer({ gloves: !session.me?.gloves })}>
        {#snippet children({ checked })}<span class="w-4">{checked ? '✓' : ''}</span>Gloves: large targets{/snippet}
      </DropdownMenu.CheckboxItem>
      <DropdownMenu.CheckboxItem
        class="menu-item"
        checked={session.units === 'imperial'}
        onSelect={() => session.prefer({ units: session.units === 'metric' ? 'imperial' : 'metric' })}>
        {#snippet children({ checked })}<span class="w-4">{checked ? '✓' : ''}</span>Imperial units{/snippet}
      </DropdownMenu.CheckboxItem>
      <DropdownMenu.Separator class="menu-line" />
      <DropdownMenu.Item class="menu-item" onSelect={() => goto('/fleet')}
        ><span class="w-4"></span>Fleet and models</DropdownMenu.Item>
      <DropdownMenu.Item class="menu-item" onSelect={() => goto('/policy')}><span class="w-4"></span>Policy</DropdownMenu.Item>
      <DropdownMenu.Item class="menu-item" onSelect={() => goto('/company')}><span class="w-4"></span>Company</DropdownMenu.Item>
      <DropdownMenu.Item class="menu-item" onSelect={() => goto('/people')}><span class="w-4"></span>People</DropdownMenu.Item>
      <DropdownMenu.Item class="menu-item" onSelect={() => goto('/history')}><span class="w-4"></span>History</DropdownMenu.Item>
      {#if session.may('tokens:write')}
        <DropdownMenu.Item class="menu-item" onSelect={() => goto('/tokens')}
          ><span class="w-4"></span>Tokens for programs</DropdownMenu.Item>
        <DropdownMenu.Item class="menu-item" onSelect={() => goto('/server')}><span class="w-4"></span>Server</DropdownMenu.Item>
      {/if}
      <DropdownMenu.Item class="menu-item" onSelect={() => goto('/account')}
        ><span class="w-4"></span>Your sign-in</DropdownMenu.Item>
      <DropdownMenu.Item class="menu-item" onSelect={() => leave()}><span class="w-4"></span>Sign out</DropdownMenu.Item>
    </DropdownMenu.Content>
  </DropdownMenu.Portal>
</DropdownMenu.Root>

<DropdownMenu.Root bind:open={() => menu === 'more', (o) => (menu = o ? 'more' : '')}>
  <DropdownMenu.Portal>
    <DropdownMenu.Content
      class="menu"
      align="end"
      side="top"
      sideOffset={6}
      customAnchor={more}
      onInteractOutside={(e) => more?.contains(e.target as Node) && e.preventDefault()}
      onCloseAutoFocus={(e) => {
        e.preventDefault();
        more?.focus();
      }}>
      {#each far as p (p.href)}<DropdownMenu.Item class="menu-item" onSelect={() => goto(p.href)}>{p.label}</DropdownMenu.Item
        >{/each}
    </DropdownMenu.Content>
  </DropdownMenu.Portal>
</DropdownMenu.Root>

<AlertDialog.Root open={unsent > 0} onOpenChange={(open) => (unsent = open ? unsent : 0)}>
  <AlertDialog.Portal>
    <AlertDialog.Overlay class="fixed inset-0 z-70 bg-[var(--veil)]" />
    <AlertDialog.Content
      class="fixed left-1/2 top-1/3 z-71 w-[min(460px,92vw)] -translate-x-1/2 rounded border-line border-ink bg-sheet p-6">
      <AlertDialog.Title class="sharp text-head"
        >{unsent === 1 ? 'One tap is' : `${unsent} taps are`} not sent yet</AlertDialog.Title>
      <AlertDialog.Description class="my-3 text-lead">
        There is no link. Stay signed in until it is back, or sign out: what was tapped stays on this device and is sent when you
        sign in here again.
      </AlertDialog.Description>
      <div class="flex gap-3">
        <AlertDialog.Cancel class="button dark flex-1">Stay signed in</AlertDialog.Cancel>
        <AlertDialog.Action class="button flex-1" onclick={() => leave(true)}>Sign out</AlertDialog.Action>
      </div>
    </AlertDialog.Content>
  </AlertDialog.Portal>
</AlertDialog.Root>
