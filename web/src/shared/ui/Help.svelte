<script lang="ts">
  import { goto } from '$app/navigation';
  import { Command, Dialog } from 'bits-ui';
  import { call } from '$shared/api/call';
  import type { Schemas } from '$shared/api/client';
  import { help } from './help.svelte';

  let search = $state('');
  const fixed = [
    ['Ctrl K', 'find and do'],
    ['?', 'this sheet'],
    ['Tab', 'next field or number'],
    ['W', 'on a dotted number: its working'],
    ['Esc', 'close'],
  ];

  type Found = Schemas['Found'];
  let found = $state.raw<Found[]>([]);
  let timer: ReturnType<typeof setTimeout>;
  let turn = 0;
  // What goes by a name is asked for while it is typed; an older answer never replaces a newer one.
  $effect(() => {
    const words = search.trim();
    clearTimeout(timer);
    if (words.length < 2) {
      found = [];
      return;
    }
    timer = setTimeout(async () => {
      const mine = ++turn;
      const { data } = await call('GET', '/api/today/find', { params: { query: { q: words } } });
      if (mine === turn && data) found = data;
    }, 150);
  });

  function pick(run: () => void) {
    help.palette = false;
    search = '';
    run();
  }
</script>

<Dialog.Root bind:open={help.palette}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog top-[14vh] translate-y-0" aria-describedby={undefined}>
      <Dialog.Title class="visually-hidden">Find and do</Dialog.Title>
      <Command.Root label="Find and do">
        <Command.Input
          class="input"
          placeholder="A pack, job, day, person, setting, or what to do"
          bind:value={search}
          autofocus />
        <Command.List tabindex={0} class="mt-2 max-h-[min(46vh,calc(86dvh-140px))] overflow-y-auto">
          <Command.Viewport>
            <Command.Empty class="quiet p-3">Nothing goes by that name.</Command.Empty>
            {#each found as f (f.href + f.words)}
              <Command.Item
                class="menu-item justify-between"
                value="{f.kind} {f.words} {f.href}"
                keywords={[search.trim()]}
                onSelect={() => pick(() => goto(f.href))}>
                <span class="min-w-0 break-words"><b>{f.words}</b> <span class="quiet">{f.detail}</span></span><span class="quiet"
                  >{f.kind}</span>
              </Command.Item>
            {/each}
            {#each help.actions as a (a.id)}
              <Command.Item class="menu-item justify-between" value={a.label} onSelect={() => pick(a.run)}>
                <span>{a.label}</span>{#if a.keys}<kbd class="quiet">{a.keys.split(' / ')[0]}</kbd>{/if}
              </Command.Item>
            {/each}
          </Command.Viewport>
        </Command.List>
      </Command.Root>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>

<Dialog.Root bind:open={help.keys}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-3 text-title">Keys</Dialog.Title>
      <table class="sheet-table">
        <tbody>
          {#each fixed as [key, what] (key)}<tr><td class="w-32"><kbd>{key}</kbd></td><td>{what}</td></tr>{/each}
          {#each help.actions.filter((a) => a.keys) as a (a.id)}<tr><td><kbd>{a.keys}</kbd></td><td>{a.label}</td></tr>{/each}
        </tbody>
      </table>
      <Dialog.Close class="button mt-4">Close</Dialog.Close>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>

<style>
  kbd {
    font: inherit;
    font-weight: 560;
  }
</style>
