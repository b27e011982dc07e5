<!-- The only way to show a computed number that someone acts on: a dotted underline, and its working as a borehole log. -->
<script lang="ts">
  import { call, type Result } from '$shared/api/call';
  import { type Schemas } from '$shared/api/client';

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

  // The log comes when the first number is asked about.
  let asked = $state(false);
  const log = $derived(asked ? import('./Log.svelte') : null);

  function toggle() {
    open = !open;
    asked = true;
    if (open) void load();
  }

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
</script>

<button
  type="button"
  bind:this={trigger}
  class="why {extra}"
  aria-label="{name}: {text}. Show the working"
  aria-haspopup="dialog"
  aria-expanded={open}
  data-state={open ? 'open' : 'closed'}
  onclick={toggle}
  onkeydown={(e) => {
    if (e.key.toLowerCase() !== 'w') return;
    e.preventDefault();
    e.stopPropagation();
    if (!open) toggle();
  }}>{text}</button
>{#if log}{#await log then { default: Log }}<Log
      bind:open
      {trigger}
      {text}
      {name}
      {working}
      {problem}
      {margin}
      {lead}
      {clock} />{/await}{/if}

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
</style>
