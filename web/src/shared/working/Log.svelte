<!-- The working of one number as a borehole log, beside the number. -->
<script lang="ts">
  import { Popover } from 'bits-ui';
  import { type Schemas } from '$shared/api/client';
  import { showUnit } from '$shared/format/units';
  import { stepWord } from '$shared/format/words';
  import { session } from '$shared/session.svelte';

  interface Props {
    open: boolean;
    trigger: HTMLElement | null;
    text: string;
    name: string;
    working: Schemas['WorkingOut'] | null;
    problem: string;
    margin: boolean;
    lead: number;
    clock?: (seconds: number) => string;
  }
  let { open = $bindable(), trigger, text, name, working, problem, margin, lead, clock }: Props = $props();

  function value(v: number | string | boolean | null, unit: string): string {
    if (typeof v === 'number' && unit === 'clock') return clock ? clock(v) : showUnit(v, 's', session.units);
    if (typeof v === 'number') return showUnit(v, unit, session.units);
    return String(v ?? '');
  }

  const BED: Record<string, string> = {
    input: 'p-ready',
    formula: 'p-charging',
    run: 'p-charging',
    choice: 'p-resting',
    assumption: 'p-cooling',
    limit: 'p-grounded',
  };
  const WORD: Record<string, string> = {
    input: 'Given',
    formula: 'Step',
    run: 'Computed',
    choice: 'Choice',
    assumption: 'Assumed',
    limit: 'Limit',
  };
</script>

<Popover.Root bind:open>
  <Popover.Portal>
    <Popover.Content
      class="log {margin ? 'log-margin' : ''}"
      side={margin ? 'right' : 'left'}
      sideOffset={margin ? 2 : lead}
      collisionPadding={12}
      data-working
      customAnchor={trigger}
      onInteractOutside={(e) => trigger?.contains(e.target as Node) && e.preventDefault()}
      onCloseAutoFocus={(e) => {
        e.preventDefault();
        trigger?.focus();
      }}>
      <Popover.Arrow class="log-arrow" width={18} height={10} />
      <div class="flex items-baseline justify-between gap-4 border-b-line border-ink px-4 py-2.5 pl-10">
        <span class="sharp text-lead">Working: {name}</span>
        <span class="sharp text-lead">{text}</span>
      </div>
      {#if problem}
        <p class="problem p-4">{problem}</p>
      {:else if !working}
        <p class="quiet p-4 pl-10" role="status">Looking it up …</p>
      {:else}
        <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
        <ol class="m-0 max-h-[60vh] list-none overflow-y-auto p-0" tabindex="0" aria-label="Steps">
          {#each working.steps as s, k (k)}
            <li class="row relative grid grid-cols-[64px_1fr_auto] items-stretch gap-x-3 pl-11">
              <svg width="26" height="100%" class="absolute inset-y-0 left-0 h-full border-r border-ink" aria-hidden="true"
                ><rect width="26" height="100%" fill="url(#{BED[s.kind]})" /></svg>
              <span class="kind quiet py-2 text-note">{WORD[s.kind]}</span>
              <div class="border-b border-rule py-2">
                <div>{s.formula}</div>
                {#if s.inputs.length}
                  <div class="quiet text-note">
                    {s.inputs.map((q) => `${stepWord(q.name)} ${value(q.value, q.unit)}`).join(' · ')}
                  </div>
                {/if}
                {#if s.note}<div class="text-note">{s.note}</div>{/if}
                <div class="quiet text-note italic">{s.source}</div>
              </div>
              <b class="border-b border-rule py-2 pr-4 text-right">{value(s.value, s.unit)}</b>
            </li>
          {/each}
        </ol>
      {/if}
    </Popover.Content>
  </Popover.Portal>
</Popover.Root>

<style>
  :global(.log) {
    z-index: 45;
    width: min(520px, calc(100vw - 24px));
    border: 1.5px solid var(--ink);
    border-radius: 4px;
    background: var(--field);
    box-shadow: 0 8px 22px var(--shadow);
  }
  :global(.log-margin) {
    width: min(302px, calc(100vw - 24px));
  }
  :global(.log-margin) .row {
    grid-template-columns: 1fr auto;
  }
  :global(.log-margin) .kind {
    position: absolute;
    overflow: hidden;
    width: 1px;
    height: 1px;
    clip-path: inset(50%);
  }
  :global(.log-arrow) {
    color: var(--ink);
  }
</style>
