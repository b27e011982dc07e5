<!-- A second screen in the van: the clock, what cannot wait, and the next calls, to be read from across the table. -->
<script lang="ts">
  import { clock, percent } from '$shared/format/units';
  import { backsOf, callsOf } from '../words/calls';
  import type { LiveState } from '../state/live.svelte';
  import { callLines, countdown, opensAt, type Live } from '../words/words';

  let { run, live }: { run: LiveState; live: Live } = $props();
  const at = (s: number) => clock(opensAt(live), s);
  const calls = $derived(
    callsOf(run, live)
      .filter((c) => c.kind !== 'turn_back')
      .slice(0, 3),
  );
  const backs = $derived(backsOf(run, live));
</script>

<div class="flex min-h-[calc(100dvh-68px)] flex-col gap-4 px-8 py-3" data-testid="large">
  <div class="flex items-baseline justify-between">
    <span class="sharp text-[min(13vw,18vh)] leading-none tabular-nums">{at(run.nowS)}</span>
    <span class="text-right text-[clamp(22px,2.6vw,34px)]"
      >{live.name}<br />{live.closed ? 'closed' : `ends ${at(live.finish_s)}`}{#if !run.linked}<br /><b class="text-copper"
          >no link</b
        >{/if}</span>
  </div>
  {#each live.alerts.filter((a) => a.grade === 'now') as a (a.key)}<p
      class="sharp m-0 bg-madder px-5 py-3 text-[min(5.4vw,8vh)] leading-tight text-sheet"
      role="alert">
      ◆ {a.words}
    </p>{/each}
  {#each backs as b (b.id)}<p class="sharp m-0 bg-madder px-5 py-3 text-[min(4.6vw,7vh)] leading-tight text-sheet">
      ◆ Turn back {b.flight} in {countdown(b.at_s - run.nowS)}
    </p>{/each}
  {#each calls as c, k (c.id)}
    {@const left = c.at_s - run.nowS}
    <div class="grid grid-cols-[1fr_auto] items-baseline gap-6 border-b-2 border-ink {k ? 'text-ink-2' : ''}">
      <span class="sharp {k ? 'text-[min(3.6vw,6vh)]' : 'text-[min(5.6vw,9.5vh)]'} leading-tight">{callLines(c).join(' ')}</span>
      <span class="sharp tabular-nums {k ? 'text-[min(3.6vw,6vh)]' : 'text-[min(5.6vw,9.5vh)]'} {left < 0 ? 'text-madder' : ''}"
        >{left < 0 ? '+' : ''}{countdown(left)}</span>
    </div>
  {:else}<p class="text-call">Nothing to do now.</p>{/each}
  <div class="mt-auto flex flex-wrap gap-x-8 gap-y-2 text-[clamp(22px,2.4vw,32px)]">
    {#each live.packs as p (p.name)}<span
        ><b class="sharp" title={p.name}>{p.short}</b>
        {p.word === 'port'
          ? `port ${p.port}, ${percent(p.frac)}`
          : p.word === 'air'
            ? `flies ${p.flight}`
            : percent(p.frac)}</span
      >{/each}
  </div>
</div>
