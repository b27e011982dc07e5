<!-- The curves of a flight on one time axis, its phases and events above them. What is looked at closely is asked for closely. -->
<script lang="ts">
  import 'uplot/dist/uPlot.min.css';
  import type { Attachment } from 'svelte/attachments';
  import { call } from '$shared/api/call';
  import { type Schemas } from '$shared/api/client';
  import { placeIn } from '$shared/chart/frame';
  import { digits } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { bedsOf, beside, clock, Curves, moved, PLOT_LEFT, zoomed, type Series, type Span } from './curves';

  interface Props {
    flight: Schemas['FlightPage'];
    /** The time under the pointer. */
    at: number | null;
  }
  let { flight, at = $bindable() }: Props = $props();
  const WAIT_MS = 90;
  const POINTS = 3000;
  let overview = $state.raw<Series | null>(null);
  let shown = $state.raw<Series | null>(null);
  let problem = $state('');
  let span = $state.raw<Span>({ from: 0, to: 1 });
  let width = $state(700);
  let asking = $state(false);
  let box: HTMLElement | undefined = $state();
  const whole = $derived(flight.length_s);
  const metric = $derived(session.units === 'metric');
  const beds = $derived(overview ? bedsOf(overview.series, flight.cells ?? 0, metric) : []);
  const close = $derived(span.to - span.from < whole * 0.999);

  async function fetchPart(from?: number, to?: number): Promise<Series | null> {
    const { data, problem: bad } = await call('GET', '/api/logbook/flights/{flight_id}/samples', {
      params: { path: { flight_id: flight.id }, query: { from_s: from, to_s: to, points: POINTS } },
    });
    problem = bad?.detail ?? '';
    return data;
  }
  async function load() {
    const data = await fetchPart();
    if (!data) return;
    span = { from: 0, to: data.whole_s };
    overview = shown = data;
  }
  void load();

  let curves: Curves | null = null;
  const mount = (light: string | undefined): Attachment<HTMLElement> => {
    return (node) => {
      void light;
      node.replaceChildren();
      curves = new Curves(node, beds, shown!, span, { point: (t) => (at = t ?? at), width: (px) => (width = px) });
      return () => {
        curves?.destroy();
        curves = null;
      };
    };
  };

  let timer: ReturnType<typeof setTimeout>;
  function look(next: Span) {
    span = next;
    // At once with what is at hand; finer as soon as it comes.
    const inside = shown && shown !== overview && shown.time_s[0]! <= next.from + 1 && shown.time_s.at(-1)! >= next.to - 1;
    if (!inside) shown = overview;
    curves?.show(shown!, next);
    clearTimeout(timer);
    if (next.to - next.from <= whole * 0.9) timer = setTimeout(finer, WAIT_MS);
  }
  /** Fetch what is looked at, and as much beside it; one at a time, the newest wish when the one before has come. */
  async function finer() {
    if (asking) return;
    asking = true;
    let seen: Span | null = null;
    while (seen !== span) {
      seen = span;
      const wide = seen.to - seen.from;
      const data = await fetchPart(Math.max(0, seen.from - wide), Math.min(whole, seen.to + wide));
      if (!data) break;
      shown = data;
      curves?.show(data, span);
    }
    asking = false;
  }
  const x = (t: number) => PLOT_LEFT + ((t - span.from) / (span.to - span.from)) * (width - PLOT_LEFT - 8);
  const events = $derived(
    [
      // The last warning is the gravest: its words come first.
      ...flight.marks
        .filter((m) => m.kind === 'warning')
        .map((m) => ({ at_s: m.at_s, words: m.words, knee: false }))
        .reverse(),
      ...(flight.figures.knee_s == null ? [] : [{ at_s: flight.figures.knee_s, words: 'knee', knee: true }]),
    ]
      .filter((m) => m.at_s >= span.from && m.at_s <= span.to)
      .map((event) => ({ event, at: x(event.at_s) })),
  );
  const timeAt = (px: number) => span.from + ((px - PLOT_LEFT) / Math.max(1, width - PLOT_LEFT - 8)) * (span.to - span.from);

  function wheel(e: WheelEvent) {
    if (!box || (!e.ctrlKey && !e.shiftKey && Math.abs(e.deltaX) < Math.abs(e.deltaY) && !close && e.deltaY > 0)) return;
    e.preventDefault();
    const left = placeIn(box, e).x;
    if (Math.abs(e.deltaX) > Math.abs(e.deltaY)) look(moved(span, whole, (e.deltaX / width) * (span.to - span.from)));
    else look(zoomed(span, whole, timeAt(left), e.deltaY > 0 ? 1.25 : 0.8));
  }
  const listen: Attachment<HTMLElement> = (node) => {
    node.addEventListener('wheel', wheel, { passive: false });
    return () => node.removeEventListener('wheel', wheel);
  };
  let held = $state.raw<{ x: number; span: Span } | null>(null);
  function down(e: PointerEvent) {
    if (e.button !== 0) return;
    held = { x: e.clientX, span };
  }
  function drag(e: PointerEvent) {
    if (!held || Math.abs(e.clientX - held.x) < 3) return;
    const by = ((held.x - e.clientX) / Math.max(1, width - PLOT_LEFT)) * (held.span.to - held.span.from);
    look(moved(held.span, whole, by));
  }
  function key(e: KeyboardEvent) {
    const wide = span.to - span.from;
    const next = {
      ArrowLeft: () => moved(span, whole, -wide * 0.2),
      ArrowRight: () => moved(span, whole, wide * 0.2),
      '+': () => zoomed(span, whole, (span.from + span.to) / 2, 0.6),
      '-': () => zoomed(span, whole, (span.from + span.to) / 2, 1.7),
      '0': () => ({ from: 0, to: whole }),
    }[e.key];
    if (!next) return;
    e.preventDefault();
    look(next());
  }
  /** The shape of a stretch, in ink: rising, falling, full, half, hollow, low. */
  function shape(kind: string, a: number, b: number): { d: string; hollow?: boolean } {
    const top = 22;
    const floor = 40;
    const low = (y: number) => `M${a} ${floor}V${y}H${b}V${floor}Z`;
    if (kind === 'climb') return { d: `M${a} ${floor}L${b} ${top}V${floor}Z` };
    if (kind === 'sink') return { d: `M${a} ${top}L${b} ${floor}H${a}Z` };
    if (kind === 'line') return { d: low(top) };
    if (kind === 'turn') return { d: low(32) };
    if (kind === 'transit') return { d: low(top), hollow: true };
    return { d: low(36) };
  }
  const inView = $derived(flight.phases.filter((p) => p[2] > span.from && p[1] < span.to));
  const kinds = $derived([...new Set(flight.phases.map((p) => p[0]))]);
  const now = $derived.by(() => {
    if (at === null || !shown) return null;
    const t = at;
    let k = shown.time_s.findIndex((s) => s >= t);
    if (k < 0) k = shown.time_s.length - 1;
    const phase = flight.phases.find((p) => t >= p[1] && t < p[2]);
    return {
      t,
      phase: phase ? (flight.phase_words[phase[0]] ?? phase[0]) : '',
      values: beds.map((b) => {
        const all = b.lines.map((l) => shown!.series[l.name]?.[k]).filter((v): v is number => v !== null && v !== undefined);
        if (!all.length) return '';
        const low = b.scale(Math.min(...all));
        return `${b.id === 'cells' ? 'lowest ' : ''}${digits(low, b.id === 'current' ? 1 : b.digits)} ${b.label.split(',')[0]}`;
      }),
    };
  });
</script>

{#if problem}<p class="problem" role="alert">{problem} <button class="button" onclick={load}>Try again</button></p>{/if}
{#if !overview}
  {#if !problem}<p class="quiet" role="status">Fetching the samples …</p>{/if}
{:else if !beds.length}
  <p class="quiet">This log tells no volts, percent, current, temperature or height over time.</p>
{:else}
  <div class="mb-1 flex flex-wrap items-center gap-x-4 gap-y-1">
    <span class="min-h-5.5 text-small" data-testid="under">
      {#if now}<b>{clock(now.t)}</b> {now.phase} · {now.values.filter(Boolean).join(' · ')}
      {:else}<span class="quiet"
          >{digits(overview.rows)} samples; wheel or + − to look closer, drag to move{asking
            ? '; fetching finer ones …'
            : ''}</span
        >{/if}
    </span>
    <span class="ml-auto flex" role="group" aria-label="Look closer">
      <button
        class="button small plain"
        onclick={() => look(zoomed(span, whole, (span.from + span.to) / 2, 0.5))}
        aria-label="Closer">+</button>
      <button
        class="button small plain"
        onclick={() => look(zoomed(span, whole, (span.from + span.to) / 2, 2))}
        aria-label="Wider">−</button>
      <button class="button small plain" disabled={!close} onclick={() => look({ from: 0, to: whole })}>Whole flight</button>
    </span>
  </div>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
  <div
    bind:this={box}
    {@attach listen}
    class="touch-pan-y rounded bg-sheet p-0 {held ? 'cursor-grabbing' : 'cursor-crosshair'}"
    tabindex="0"
    role="group"
    aria-label="Curves over time, {clock(span.from)} to {clock(span.to)}. Arrow keys move, plus and minus zoom, 0 shows all."
    data-testid="curves"
    data-from={span.from.toFixed(1)}
    data-to={span.to.toFixed(1)}
    onpointerdown={down}
    onpointermove={drag}
    onpointerup={() => (held = null)}
    onpointerleave={() => {
      held = null;
      at = null;
    }}
    onkeydown={key}>
    <svg {width} height="58" class="chart block select-none overflow-hidden" aria-hidden="true">
      <g transform="translate(0 14)"
        >{#each inView as p (p[1])}
          {@const a = Math.max(PLOT_LEFT, x(p[1]))}
          {@const b = Math.min(width - 8, x(p[2]))}
          {#if b - a > 0.4}
            {@const drawn = shape(p[0], a, b)}
            <path
              d={drawn.d}
              fill={drawn.hollow ? 'var(--sheet)' : 'var(--ink-2)'}
              stroke="var(--ink-2)"
              stroke-width={drawn.hollow ? 1 : 0} />
            {#if b - a > 60}<text x={(a + b) / 2} y="35" text-anchor="middle" class="halo" fill="var(--ink)"
                >{flight.phase_words[p[0]] ?? p[0]}</text
              >{/if}
          {/if}
        {/each}</g>
      {#each beside(events, width - 8) as e (e.event.at_s + e.event.words)}
        {@const ink = e.event.knee ? 'var(--copper)' : 'var(--madder)'}
        <path d="M{e.at} {3 + 14 * e.row}V58" stroke={ink} stroke-width="1.6" stroke-dasharray={e.event.knee ? '4 3' : undefined}>
          <title>{e.event.words}</title></path>
        {#if e.side}<text
            x={e.at + (e.side === 'start' ? 4 : -4)}
            y={13 + 14 * e.row}
            text-anchor={e.side}
            class="halo"
            fill={ink}
            font-weight="600">{e.event.words}</text
          >{/if}
      {/each}
    </svg>
    {#key `${beds.map((b) => b.id + b.label).join()}`}
      <div class="plots relative" {@attach mount(session.me?.light)}></div>
    {/key}
  </div>
  <div class="mt-1 flex flex-wrap gap-x-4 gap-y-1 text-note" aria-label="How to read">
    {#each kinds as k (k)}<span class="flex items-center gap-1.5"
        ><svg width="20" height="18" viewBox="0 22 20 18" aria-hidden="true"
          ><path
            d={shape(k, 0, 20).d}
            fill={shape(k, 0, 20).hollow ? 'var(--sheet)' : 'var(--ink-2)'}
            stroke="var(--ink-2)"
            stroke-width={shape(k, 0, 20).hollow ? 1 : 0} /></svg
        >{flight.phase_words[k] ?? k}</span
      >{/each}
    {#each beds as b (b.id)}<span class="flex items-center gap-1.5"
        >{#each b.lines.slice(0, 6) as l (l.name)}<svg width="14" height="8" aria-hidden="true"
            ><path d="M0 4H14" stroke="var({l.colour})" stroke-width="2.4" /></svg
          >{/each}{b.label}</span
      >{/each}
  </div>
{/if}

<style>
  .plots :global(.bed) {
    position: relative;
  }
  .plots :global(.bed-name) {
    position: absolute;
    z-index: 2;
    top: 4px;
    right: 14px;
    padding: 0 4px;
    background: var(--sheet);
    color: var(--ink-2);
    font-size: 12px;
    pointer-events: none;
  }
  .plots :global(.u-cursor-x) {
    border-right: 1.5px solid var(--ink);
  }
</style>
