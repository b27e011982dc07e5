<!-- An empty company is led through: each step with what it is for, the next one open, any of them skipped. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import type { Schemas } from '$shared/api/client';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import { skipped } from './skipped';

  type Step = Schemas['SetupStep'];
  let { steps, onchanged }: { steps: Step[]; onchanged: () => void } = $props();
  const company = $derived(session.me?.organisation ?? '');
  // svelte-ignore state_referenced_locally
  let away = $state.raw(skipped.read(company));
  const open = $derived(steps.filter((s) => !s.done && !away.includes(s.key)));
  const next = $derived(open[0] ?? null);
  let busy = $state(false);

  function skip(key: string, back = false) {
    away = back ? away.filter((k) => k !== key) : [...away, key];
    skipped.write(company, away);
  }
  async function samples() {
    busy = true;
    const { data, problem } = await call('POST', '/api/fleet/samples');
    busy = false;
    if (data) notices.say(`Added to start from: ${data.join(', ')}`);
    else notices.say(problem?.detail ?? '', { bad: true });
    onchanged();
  }
</script>

{#if open.length}
  <section class="mb-6 border-y-2 border-ink bg-sheet px-6 py-4" aria-label="Set up" data-testid="setup">
    <h2 class="mb-3 text-head">From an empty company to a first planned day</h2>
    <ol class="m-0 grid list-none gap-x-6 gap-y-1 p-0">
      {#each steps as s, n (s.key)}
        {@const off = away.includes(s.key)}
        <li
          class="grid grid-cols-[32px_minmax(0,1fr)_auto] items-center max-phone:grid-cols-[32px_minmax(0,1fr)] gap-x-3 border-b border-rule py-2 {s ===
          next
            ? 'border-l-2 border-l-ink pl-2'
            : ''}"
          aria-current={s === next ? 'step' : undefined}>
          <span class="sharp text-head" aria-hidden="true">{s.done ? '✓' : n + 1}</span>
          <span><b>{s.words}</b>{s.done ? ', done' : off ? ', skipped' : ''}<br /><span class="quiet">{s.why}</span></span>
          <span class="flex flex-wrap justify-end gap-2 max-phone:col-start-2 max-phone:justify-start max-phone:pt-2">
            {#if !s.done && !off}
              {#if s.samples}<button class="button" disabled={busy} onclick={samples}>Start with sample models</button>{/if}
              <a class="button {s === next ? 'dark' : ''}" href={s.href}
                >{s.words === 'Company' ? 'Set company' : `Add ${s.words.toLowerCase()}`}</a>
              <button class="button plain" onclick={() => skip(s.key)}
                >Skip<span class="visually-hidden"> {s.words}</span></button>
            {:else if off}<button class="button plain" onclick={() => skip(s.key, true)}
                >Do not skip<span class="visually-hidden"> {s.words}</span></button
              >{/if}
          </span>
        </li>
      {/each}
    </ol>
  </section>
{/if}
