<!-- The only way to show a computed number that someone acts on: a dotted underline, and its working as a borehole log. -->
<script lang="ts">
  import { Popover } from 'bits-ui';
  import { call, type Result } from '$shared/api/call';
  import { type Schemas } from '$shared/api/client';
  import { showUnit } from '$shared/format/units';
  import { stepWord } from '$shared/format/words';
  import { session } from '$shared/session.svelte';

  type Working = Schemas['WorkingOut'];
  interface Props {
    text: string;
    name: string;
    of?: 'jobs' | 'days' | 'packs';
    id?: string;
    key?: string;
    /** The working itself, where the answer that gave the number carried it. */
    given?: Working | null;
    /** How to ask for the working where it belongs to none of these. */
    ask?: () => Promise<Result<Working>>;
    class?: string;
    /** Open to the right, narrow, where a margin stands beside the number and figures to its left. */
    margin?: boolean;
    /** Turns seconds of the day into a time of day. */
    clock?: (seconds: number) => string;
  }
  let { text, name, of, id = '', key = '', given, ask, class: extra = '', margin = false, clock }: Props = $props();

  let open = $state(false);
  let lead = $state(4);
  let trigger: HTMLElement | null = $state(null);
  let working = $state<Working | null>(null);
  let problem = $state('');

  const CALLS = {
    jobs: () => call('GET', '/api/jobs/{job_id}/working/{key}', { params: { path: { job_id: id, key } } }),
    days: () => call('GET', '/api/days/{day_id}/working/{key}', { params: { path: { day_id: id, key } } }),
    packs: () => call('GET', '/api/packs/{pack_id}/working/{key}', { params: { path: { pack_id: id, key } } }),
  };

  async function load() {
    // From a panel the log opens beside it, at the height of its number, so that it covers no figure.
    const panel = trigger?.closest('aside')?.getBoundingClientRect();
    const room = panel && panel.left > 560;
    lead = room ? Math.max(4, trigger!.getBoundingClientRect().left - panel.left - 6) : 4;
    working = null;
    problem = '';
    if (given !== undefined || (!of && !ask)) {
      working = given ?? null;
      problem = given ? '' : 'There is no working for this number yet.';
      return;
    }
    const { data, problem: bad } = await (ask ?? CALLS[of!])();
    working = data;
    problem = bad?.detail ?? '';
  }

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

<Popover.Root bind:open onOpenChange={(o) => o && load()}
  ><Popover.Trigger
    bind:ref={trigger}
    class="why {extra}"
    aria-label="{name}: {text}. Show the working"
    onkeydown={(e: KeyboardEvent) => {
      if (e.key.toLowerCase() === 'w') {
        e.preventDefault();
        e.stopPropagation();
        open = true;
        void load();
      }
    }}>{text}</Popover.Trigger
  ><Popover.Portal>
    <Popover.Content
      class="log {margin ? 'log-margin' : ''}"
      side={margin ? 'right' : 'left'}
      sideOffset={margin ? 2 : lead}
      collisionPadding={12}
      data-working>
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
  </Popover.Portal></Popover.Root>

<style>
  :global(.why) {
    padding: 0 1px;
    border: 0;
    border-bottom: 2px dotted currentcolor;
    background: none;
    color: inherit;
    font: inherit;
    font-variation-settings: inherit;
    font-weight: 640;
    cursor: pointer;
  }
  :global(.why:hover),
  :global(.why[data-state='open']) {
    background: var(--ink);
    color: var(--sheet);
  }
  /* With gloves the target grows around the number, not the number itself. */
  :global([data-gloves='true'] .why) {
    position: relative;
  }
  :global([data-gloves='true'] .why)::after {
    position: absolute;
    inset: -14px -12px;
    content: '';
  }
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
