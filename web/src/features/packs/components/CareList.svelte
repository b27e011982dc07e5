<!-- What needs a person today. Arrows walk the list, D ticks the task under the mark off, Z takes it back. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { session } from '$shared/session.svelte';
  import { help } from '$shared/ui/help.svelte';
  import { nearing } from '$shared/ui/nearing';
  import { shelf, type Task } from '../state/shelf.svelte';

  let at = $state(0);
  const PIECE = 30;
  let most = $state(PIECE);
  let list: HTMLElement | undefined = $state();
  const tasks = $derived(shelf.tasks);
  const writable = $derived(session.may('packs:record'));
  const when = (t: Task) => (t.late > 0 ? `${t.late} ${t.late === 1 ? 'day' : 'days'} late` : 'today');
  const tests = (t: Task) => t.kind === 'load test';

  function act(t: Task | undefined) {
    if (!t || !writable) return;
    if (tests(t)) void goto(`/packs/${t.pack.id}/test`);
    else void shelf.done(t);
  }
  function move(by: number) {
    at = Math.min(tasks.length - 1, Math.max(0, at + by));
    if (at > most - 5) most += PIECE;
    list?.querySelectorAll<HTMLElement>('[data-task]')[at]?.scrollIntoView({ block: 'nearest' });
  }
  $effect(() => {
    if (at >= tasks.length) at = Math.max(0, tasks.length - 1);
  });
  $effect(() =>
    help.offer('care', [
      { id: 'care-next', label: 'Care list: next task', keys: 'J', run: () => move(1) },
      { id: 'care-back', label: 'Care list: task before', keys: 'K', run: () => move(-1) },
      { id: 'care-done', label: 'Care list: done, or test it', keys: 'D', run: () => act(tasks[at]) },
    ]),
  );
</script>

<div class="flex items-baseline justify-between">
  <h2>Care today</h2>
  <span class="quiet text-note"><kbd>J</kbd> <kbd>K</kbd> walk, <kbd>D</kbd> done</span>
</div>
{#if !tasks.length}
  <p class="quiet mt-3">Nothing is due.</p>
{:else}
  <ol class="m-0 mt-2 list-none p-0" bind:this={list} data-testid="care">
    {#each tasks.slice(0, most) as t, k (t.pack.id + t.kind)}
      <li
        data-task
        class="grid grid-cols-[44px_1fr_auto] items-start gap-x-2 border-b border-rule py-2 {k === at
          ? 'bg-sheet shadow-[inset_3px_0_0_var(--ink)]'
          : ''}">
        <a
          href="/packs/{t.pack.id}"
          class="sharp pl-2 text-title break-words no-underline hover:underline {t.pack.name.length > 4 ? 'col-span-3' : ''}"
          ><bdi>{t.pack.name}</bdi></a
        >{#if t.pack.name.length > 4}<span></span>{/if}
        <div class="min-w-0">
          <b class={t.kind === 'recycle' || t.kind === 'take out of service' ? 'text-madder' : ''}>{t.kind}</b>
          <span class="quiet text-note"> · {when(t)}{t.by_itself ? ', by itself' : ''}</span>
          <div class="text-note leading-snug">{t.words}</div>
        </div>
        <button
          class="button whitespace-nowrap"
          aria-label="{tests(t) ? 'Test' : 'Done'}: {t.kind} of {t.pack.name}"
          disabled={!writable}
          title={writable ? '' : 'Your role cannot record'}
          onclick={() => {
            at = k;
            act(t);
          }}>{tests(t) ? 'Test' : 'Done'}</button>
      </li>
    {/each}
    {#if tasks.length > most}{#key most}<li class="quiet py-2" {@attach nearing(() => (most += PIECE))}>
          {tasks.length - most} more
        </li>{/key}{/if}
  </ol>
{/if}

<style>
  kbd {
    padding: 0 5px;
    border: 1px solid var(--rule);
    border-radius: 3px;
    background: var(--sheet);
    color: var(--ink);
    font: inherit;
  }
</style>
