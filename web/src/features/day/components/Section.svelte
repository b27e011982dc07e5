<!-- The section of a day: hours across, each pack a bed whose height is its charge and whose fill is its state. -->
<script lang="ts">
  import { sized } from '$shared/ui/sized';
  import { scaleLinear } from 'd3-scale';
  import { placeIn } from '$shared/chart/frame';
  import { cut } from '$shared/format/cut';
  import { clock, hours as inHours, percent, secondsOf } from '$shared/format/units';
  import { STATE_WORDS } from '$shared/format/words';
  import { help } from '$shared/ui/help.svelte';
  import type { Course, DayPlan, Drawn } from '../state/day.svelte';
  import { pin, snapped, type Pin } from '../words/pins';

  interface Props {
    day: { opens: string; opens_at?: string; time_zone?: string };
    plan: Drawn;
    chosen: string;
    /** A running day: how far it is, and its sorties as they were planned before it began. */
    now?: number | null;
    ghosts?: Course['ghosts'];
    /** When a supply is off to be refuelled. */
    stops?: [number, number][];
    /** Beside another section: no keys of its own, no table. */
    quiet?: boolean;
    onpin?: (p: Pin) => void;
    /** Wider than the day. */
    onwider?: () => void;
  }
  let {
    day,
    plan,
    chosen = $bindable(),
    now: atNow = null,
    ghosts = [],
    stops = [],
    quiet = false,
    onpin,
    onwider,
  }: Props = $props();
  const uid = $props.id();
  let width = $state(950);
  let table = $state(false);
  let view = $state.raw<[number, number] | null>(null);
  let plumb = $state<number | null>(null);
  let tells = $state('');
  let svg = $state<SVGSVGElement | null>(null);
  let drag = $state.raw<{ flight: string; from: number; from0: number; x: number; y: number; moved: boolean } | null>(null);
  let pan = $state.raw<{ x: number; view: [number, number] } | null>(null);
  const LEAST = 900;
  $effect(() =>
    quiet
      ? undefined
      : help.offer('section', [
          { id: 'table', label: 'Schedule as a table', keys: 'T', run: () => (table = !table) },
          { id: 'closer', label: 'Closer', keys: '+', run: () => zoom(0.6) },
          { id: 'wider', label: 'Wider', keys: '-', run: () => zoom(1 / 0.6) },
          { id: 'whole', label: 'The whole day', keys: '0', run: () => (view = null) },
          { id: 'earlier', label: 'Earlier', keys: '[', run: () => shift(-0.25) },
          { id: 'later', label: 'Later', keys: ']', run: () => shift(0.25) },
        ]),
  );
  const LEFT = 150;
  const RIGHT = 14;
  const HOURS = 26;
  const GATE = 30;
  const LANE = 25;
  const LOAD = 62;

  type Pack = DayPlan['packs'][number];
  type Bed = Pack['beds'][number];
  const packs = $derived(plan.packs);
  const busy = (p: Pack) => p.beds.some((b) => b.state === 'flying' || b.state === 'charging');
  // Many packs: beds get lower; packs that neither fly nor charge fold to a strip.
  const bedHeight = $derived(Math.max(20, Math.min(37, Math.floor(400 / Math.max(1, packs.filter(busy).length)))));
  const low = $derived(packs.length > 20 ? 16 : 24);
  // The gate of each job stands above the aircraft: closed hours hatched, gust against the limit.
  const gates = $derived(plan.gates ?? []);
  const gateTop = HOURS + 20;
  const lanesTop = $derived(gateTop + gates.length * (GATE + 6) + 4);
  const packsTop = $derived(lanesTop + plan.aircraft.length * LANE + 16);
  const places = $derived.by(() => {
    let y = packsTop;
    return packs.map((p, k) => {
      const h = p.grounded ? 24 : busy(p) ? bedHeight : low;
      const gap = k && p.set !== packs[k - 1]!.set ? 4 : 0;
      const place = { pack: p, y: y + gap, h };
      y += h + gap;
      return place;
    });
  });
  const packsEnd = $derived((places.at(-1)?.y ?? packsTop) + (places.at(-1)?.h ?? 0));
  const loadTop = $derived(packsEnd + 18);
  const height = $derived(loadTop + LOAD + 26);
  // The hours drawn end soon after the last thing that happens; what is left of the day is said at the edge.
  const shown = $derived(
    Math.min(
      plan.length_s,
      Math.max(plan.finish_s, atNow ?? 0, ...(plan.load as [number, number][]).slice(-1).map((l) => l[0])) + 1500,
    ),
  );
  const span = $derived<[number, number]>(view ?? [0, shown]);
  const x = $derived(scaleLinear(span, [LEFT, width - RIGHT]));
  const STEPS = [60, 300, 900, 1800, 3600, 7200, 14_400, 43_200, 86_400];
  const ticks = $derived.by(() => {
    const open = secondsOf(day.opens);
    const step = STEPS.find((t) => (t / (span[1] - span[0])) * (width - LEFT) > 62) ?? 86_400;
    const first = Math.ceil((open + span[0]) / step) * step - open;
    return Array.from({ length: Math.max(0, Math.floor((span[1] - first) / step) + 1) }, (_, k) => first + k * step);
  });
  function show(a: number, b: number) {
    const length = Math.max(LEAST, b - a);
    const most = shown;
    if (length >= most) {
      if (view === null) onwider?.();
      view = null;
      return;
    }
    const from = Math.min(Math.max((a + b - length) / 2, 0), most - length);
    view = [from, from + length];
  }
  function zoom(by: number, at = (span[0] + span[1]) / 2) {
    show(at - (at - span[0]) * by, at + (span[1] - at) * by);
  }
  function shift(share: number) {
    const by = share * (span[1] - span[0]);
    show(span[0] + by, span[1] + by);
  }
  const local = (e: PointerEvent | WheelEvent) => placeIn(svg!, e);
  function wheel(e: WheelEvent) {
    if (!e.ctrlKey && !e.metaKey) return;
    e.preventDefault();
    zoom(e.deltaY > 0 ? 1.25 : 0.8, x.invert(local(e).x));
  }
  function down(e: PointerEvent) {
    if (e.button || quiet) return;
    pan = { x: local(e).x, view: span };
  }
  function move(e: PointerEvent) {
    const at = local(e);
    plumb = at.x > LEFT ? x.invert(at.x) : null;
    if (drag) {
      const moved = drag.moved || Math.hypot(at.x - drag.x, at.y - drag.y) > 6;
      drag = { ...drag, x: moved ? at.x : drag.x, y: moved ? at.y : drag.y, moved };
    } else if (pan && e.buttons) {
      const by = ((pan.x - at.x) / (width - LEFT - RIGHT)) * (pan.view[1] - pan.view[0]);
      if (Math.abs(by) > 30 && view) show(pan.view[0] + by, pan.view[1] + by);
    }
  }
  /** A sortie let go on a pack is fixed to it, along the hours not before that time. */
  function up() {
    pan = null;
    const d = drag;
    drag = null;
    if (!d) return;
    if (!d.moved) {
      chosen = chosen === d.flight ? '' : d.flight;
      return;
    }
    const row = places.find((p) => d.y >= p.y && d.y <= p.y + p.h && p.pack.set);
    const f = plan.flights.find((o) => o.flight === d.flight)!;
    if (row) {
      if (row.pack.set !== f.set) onpin?.(pin({ kind: 'set', flight: d.flight, set: row.pack.set }));
    } else if (d.y < packsTop) {
      const takeoff = x.invert(d.x) - d.from;
      if (Math.abs(takeoff - f.takeoff_s) > 150)
        onpin?.(pin({ kind: 'takeoff', flight: d.flight, from: snapped(secondsOf(day.opens), takeoff) }));
    }
  }
  type PlannedFlight = DayPlan['flights'][number];
  const tellFlight = (f: PlannedFlight) =>
    `${f.flight}: ${aircraftName(f.aircraft)} ${clock(day, f.takeoff_s)} to ${clock(day, f.landing_s)} (${inHours(f.landing_s - f.takeoff_s)}) on ${f.set}, lands with ${percent(f.landing_frac)}${plan.pins.some((p) => p.flight === f.flight) ? '; fixed by hand' : ''}`;
  const tellBed = (p: Pack, b: Bed) => {
    const c = b.curve as [number, number][];
    return `${p.name}: ${STATE_WORDS[b.state] ?? b.state}${b.state === 'charging' ? ` on port ${b.label}` : b.label ? ` ${b.label}` : ''} ${clock(day, b.start_s)} to ${clock(day, b.end_s)} (${inHours(b.end_s - b.start_s)}), ${percent(c[0]![1])} to ${percent(c.at(-1)![1])}${b.c ? `, ${Math.round(b.c[0])} to ${Math.round(b.c[1])} °C` : ''}`;
  };
  function flightKeys(e: KeyboardEvent, f: PlannedFlight) {
    const order = [...plan.flights].sort((a, b) => a.takeoff_s - b.takeoff_s);
    const mine = order.filter((o) => o.aircraft === f.aircraft);
    const at = mine.findIndex((o) => o.flight === f.flight);
    let to: PlannedFlight | undefined;
    if (e.key === 'ArrowRight') to = mine[at + 1];
    else if (e.key === 'ArrowLeft') to = mine[at - 1];
    else if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
      const lane = plan.aircraft.findIndex((a) => a.id === f.aircraft) + (e.key === 'ArrowDown' ? 1 : -1);
      const near = order.filter((o) => o.aircraft === plan.aircraft[lane]?.id);
      to = near.sort((a, b) => Math.abs(a.takeoff_s - f.takeoff_s) - Math.abs(b.takeoff_s - f.takeoff_s))[0];
    } else if (e.key === 'Enter' || e.key === ' ') chosen = chosen === f.flight ? '' : f.flight;
    else if ((e.key === '<' || e.key === '>') && onpin) {
      const by = e.key === '>' ? 300 : -300;
      onpin(pin({ kind: 'takeoff', flight: f.flight, from: snapped(secondsOf(day.opens), f.takeoff_s + by) }));
    } else return;
    e.preventDefault();
    e.stopPropagation();
    if (to) svg?.querySelector<SVGGElement>(`[data-flight="${to.flight}"]`)?.focus();
  }
  /** The top edge of a bed is its temperature, by thickness and tone. */
  function warmth(b: Bed): { stroke: string; 'stroke-width': number; 'stroke-dasharray': string } {
    if (!b.c)
      return { stroke: 'var(--ink)', 'stroke-width': b.happened ? 1.8 : 1.2, 'stroke-dasharray': b.happened ? 'none' : '6 3' };
    const c = Math.max(b.c[0], b.c[1]);
    if (Math.min(b.c[0], b.c[1]) < 10) return { stroke: 'var(--ink)', 'stroke-width': 1.6, 'stroke-dasharray': '1.5 3' };
    if (c > 50) return { stroke: 'var(--madder)', 'stroke-width': 3, 'stroke-dasharray': '6 3' };
    if (c > 40) return { stroke: 'var(--copper)', 'stroke-width': 2.6, 'stroke-dasharray': '6 3' };
    return { stroke: 'var(--ink)', 'stroke-width': 1.3, 'stroke-dasharray': '6 3' };
  }
  const closed = $derived.by(() => {
    const gaps: [number, number][] = [];
    let at = 0;
    for (const [a, b] of plan.windows as [number, number][]) {
      if (a > at + 1) gaps.push([at, a]);
      at = b;
    }
    if (plan.length_s > at + 1) gaps.push([at, plan.length_s]);
    return gaps.map(([a, b]) => [Math.max(a, span[0]), Math.min(b, span[1])] as [number, number]).filter(([a, b]) => b > a);
  });
  const most = $derived(Math.max(plan.can_give_w ?? 0, ...(plan.load as [number, number][]).map((l) => l[1]), 1) * 1.12);
  const load = $derived.by(() => {
    const pts = plan.load as [number, number][];
    if (!pts.length) return '';
    const y = (w: number) => loadTop + LOAD - (w / most) * LOAD;
    return (
      `M${x(0)} ${loadTop + LOAD}` +
      pts.map((p) => `L${x(p[0])} ${y(p[1])}`).join('') +
      `L${x(pts.at(-1)![0])} ${loadTop + LOAD}Z`
    );
  });
  const peak = $derived(Math.max(0, ...(plan.load as [number, number][]).map((l) => l[1])));
  const groups = $derived.by(() => {
    const found: { y1: number; y2: number; set: string }[] = [];
    for (const p of places) {
      const last = found.at(-1);
      if (p.pack.set.includes('+') && last?.set === p.pack.set) last.y2 = p.y + p.h;
      else if (p.pack.set.includes('+')) found.push({ set: p.pack.set, y1: p.y, y2: p.y + p.h });
    }
    return found;
  });

  const seen = (b: Bed) => b.curve as [number, number][];
  function shape(b: Bed, y: number, h: number): string {
    const top = (f: number) => y + h - Math.max(0.06, f) * (h - 3);
    const pts = seen(b);
    return `M${x(b.start_s)} ${y + h}` + pts.map((p) => `L${x(p[0])} ${top(p[1])}`).join('') + `L${x(b.end_s)} ${y + h}Z`;
  }
  function edge(b: Bed, y: number, h: number): string {
    return seen(b)
      .map((p, k) => `${k ? 'L' : 'M'}${x(p[0])} ${y + h - Math.max(0.06, p[1]) * (h - 3)}`)
      .join('');
  }
  function now(p: Pack): { word: string; share: string } {
    const b = p.beds[0];
    return {
      word: b ? (STATE_WORDS[b.state] ?? b.state) : '',
      share: b ? percent((b.curve as [number, number][])[0]![1]) : '',
    };
  }
  const gateEnd = (g: (typeof gates)[number], k: number) => g.hours[k + 1]?.start_s ?? g.hours[k]!.start_s + 3600;
  function gusts(g: (typeof gates)[number], y: number): string {
    const top = Math.max(1, (g.limit_m_s ?? 0) * 1.3, ...g.hours.map((h) => h.gust_m_s ?? 0));
    return g.hours
      .map((h, k) => ({ at: (h.start_s + gateEnd(g, k)) / 2, gust: h.gust_m_s }))
      .filter((p): p is { at: number; gust: number } => p.gust !== null)
      .map((p, k) => `${k ? 'L' : 'M'}${x(p.at)} ${y + GATE - (p.gust / top) * GATE}`)
      .join('');
  }
  const limitY = (g: (typeof gates)[number], y: number) => {
    const top = Math.max(1, (g.limit_m_s ?? 0) * 1.3, ...g.hours.map((h) => h.gust_m_s ?? 0));
    return y + GATE - ((g.limit_m_s ?? 0) / top) * GATE;
  };
  const GATE_SIGN = { go: '', care: '!', no: '✕' };
  /** The letters of the longest name of a pack as it is written here, and where what it does begins beside it. */
  const letters = $derived(Math.max(1, ...plan.packs.map((p) => (p.short || p.name).length)));
  const stateX = $derived(letters <= 2 ? 44 : 16 + letters * (letters > 4 ? 9.4 : 12));
  /** So many letters of an aircraft's name have room before its lane. */
  const LANE_CHARS = 17;
  const aircraftName = (id: string) => plan.aircraft.find((a) => a.id === id)?.name ?? '';
</script>

<div {@attach sized((size) => (width = size.width))}></div>
<svg
  bind:this={svg}
  {width}
  {height}
  class="block {view ? 'cursor-grab' : ''}"
  style="touch-action: pan-y"
  role="group"
  onwheel={wheel}
  onpointerdown={down}
  onpointermove={move}
  onpointerup={up}
  onpointerleave={() => {
    plumb = null;
    pan = null;
    drag = null;
  }}
  aria-label="Section of the day: {plan.flights.length} sorties, last landing {clock(
    day,
    plan.finish_s,
  )}. The table below the section says the same.">
  <clipPath id="{uid}-hours"
    ><rect x={LEFT} y="0" width={Math.max(0, width - LEFT - RIGHT)} height={Math.max(0, height)} /></clipPath>
  {#each closed as [a, b] (a)}
    <rect x={x(a)} y={lanesTop - 4} width={Math.max(0, x(b) - x(a))} height={packsTop - lanesTop - 4} fill="url(#p-closed)" />
    {#if x(b) - x(a) > 34}<text x={(x(a) + x(b)) / 2} y={lanesTop + 12} text-anchor="middle" class="small halo">break</text>{/if}
  {/each}
  {#each ticks as t (t)}
    <path d="M{x(t)} {HOURS}V{loadTop + LOAD}" stroke="var(--rule)" />
    {#if Math.abs(x(t) - x(plan.finish_s)) > 52}<text x={x(t)} y="18" text-anchor={x(t) > width - 30 ? 'end' : 'middle'}
        >{clock(day, t)}</text
      >{/if}
  {/each}
  {#each gates as g, n (g.job_id)}
    {@const y = gateTop + n * (GATE + 6)}
    <text x="0" y={y + 14} class="strong">{g.letter} weather</text>
    <text x="0" y={y + 29} class="soft">{g.limit_m_s === null ? 'no gust limit' : `gust, limit ${g.limit_m_s.toFixed(1)}`}</text>
    <rect x={LEFT} {y} width={Math.max(0, width - LEFT - RIGHT)} height={GATE} fill="var(--sheet)" stroke="var(--rule)" />
    {#each g.hours as h, k (h.start_s)}
      {@const a = Math.max(span[0], 0, h.start_s)}
      {@const b = Math.min(gateEnd(g, k), span[1])}
      {#if b > a && h.word !== 'go'}
        <rect
          x={x(a)}
          {y}
          width={Math.max(0, x(b) - x(a))}
          height={GATE}
          fill={h.unknown ? 'url(#p-resting)' : h.word === 'no' ? 'url(#p-closed)' : 'url(#p-cooling)'}
          ><title>{h.reasons.join(' ') || 'not known'}</title></rect>
        {#if x(b) - x(a) > 18}<text x={(x(a) + x(b)) / 2} y={y + 12} text-anchor="middle" class="small halo"
            >{h.unknown ? '?' : GATE_SIGN[h.word]}</text
          >{/if}
      {/if}
    {/each}
    {#if g.limit_m_s !== null}<path d="M{LEFT} {limitY(g, y)}H{width - RIGHT}" stroke="var(--madder)" stroke-width="1.5" />{/if}
    <path
      d={gusts(g, y)}
      clip-path="url(#{uid}-hours)"
      fill="none"
      stroke="var(--ink)"
      stroke-width="1.8"
      stroke-dasharray="6 3" />
  {/each}
  {#each plan.aircraft as a, k (a.id)}
    {@const y = lanesTop + k * LANE}
    <text x="0" y={y + 17} class="strong" unicode-bidi="isolate"
      ><title>{a.name}, {a.model}</title>{cut(a.name, LANE_CHARS)}{#if a.name.length + a.model.length < LANE_CHARS}<tspan
          class="soft"
          dx="7">{a.model}</tspan
        >{/if}</text>
    <path d="M{LEFT} {y + LANE - 1}H{width - RIGHT}" stroke="var(--rule)" />
    {#each plan.waits.filter((w) => w.aircraft === a.id && w.reason === 'pack') as w (w.flight)}
      <rect
        clip-path="url(#{uid}-hours)"
        x={x(w.from_s)}
        y={y + 10}
        width={Math.max(0, x(w.to_s) - x(w.from_s))}
        height="6"
        fill="url(#p-waiting)" />
    {/each}
    {#each ghosts.filter((g) => g.aircraft === a.id) as g (g.flight)}
      <rect
        clip-path="url(#{uid}-hours)"
        x={x(g.takeoff_s)}
        y={y + 1}
        width={Math.max(3, x(g.landing_s) - x(g.takeoff_s))}
        height="23"
        rx="2"
        fill="none"
        stroke="var(--ink-2)"
        stroke-width="1"
        stroke-dasharray="2 3"><title>{g.flight} as planned, {clock(day, g.takeoff_s)}</title></rect>
    {/each}
    {#each plan.flights.filter((f) => f.aircraft === a.id) as f (f.flight)}
      {@const w = Math.max(4, x(f.landing_s) - x(f.takeoff_s))}
      {@const held = plan.pins.some((p) => p.flight === f.flight)}
      <g
        role="button"
        tabindex="0"
        data-flight={f.flight}
        aria-label={tellFlight(f)}
        aria-pressed={chosen === f.flight}
        clip-path="url(#{uid}-hours)"
        transform={drag?.moved && drag.flight === f.flight ? `translate(${drag.x - drag.from0} ${drag.y - y - 12})` : undefined}
        class="cursor-pointer"
        onfocus={() => (tells = tellFlight(f))}
        onpointerenter={() => (tells = tellFlight(f))}
        onkeydown={(e) => flightKeys(e, f)}
        onpointerdown={(e) => {
          if (e.button) return;
          e.stopPropagation();
          const at = local(e);
          drag = { flight: f.flight, from: x.invert(at.x) - f.takeoff_s, from0: at.x, x: at.x, y: at.y, moved: false };
        }}>
        <rect
          x={x(f.takeoff_s)}
          y={y + 3}
          width={w}
          height="19"
          rx="2"
          fill={chosen === f.flight || f.happened ? 'var(--ink)' : 'var(--sheet)'}
          opacity={atNow !== null && !f.happened ? 0.75 : 1}
          stroke="var(--ink)"
          stroke-width={held ? 2.6 : 1.6}
          stroke-dasharray={held || f.happened ? undefined : '5 2.5'} />
        <text
          x={x(f.takeoff_s) + w / 2}
          y={y + 17}
          text-anchor="middle"
          class="code"
          style="fill: {chosen === f.flight || f.happened ? 'var(--sheet)' : 'var(--ink)'}">{w > 14 ? f.flight : ''}</text>
      </g>
    {/each}
  {/each}
  {#each places as { pack, y, h } (pack.name)}
    {@const first = now(pack)}
    <text
      x="10"
      y={y + Math.min(h - 4, h / 2 + 6)}
      class="number"
      class:slim={h < 20}
      class:bad={pack.grounded}
      class:long={letters > 4}
      >{pack.short || pack.name}{#if pack.short && pack.short !== pack.name}<title>{pack.name}</title>{/if}</text>
    {#if pack.why}<title>{pack.name}: {pack.why}</title>{/if}
    {#if pack.grounded}
      <text x={stateX} y={y + h / 2 + 5} class="strong bad"
        >{pack.grounded.startsWith('waits') || pack.grounded.startsWith('no ') ? 'left out' : 'grounded'}</text>
      <rect x={LEFT} {y} width={Math.max(0, width - LEFT - RIGHT)} height={h - 3} fill="url(#p-grounded)" />
      <rect x={LEFT + 8} y={y + 2} width={pack.grounded.length * 7.4 + 10} height={h - 7} fill="var(--sheet)" />
      <text x={LEFT + 13} y={y + h / 2 + 3} class="bad strong">{pack.grounded}</text>
    {:else}
      <text x={stateX} y={y + h / 2 - (h > 32 ? 2 : -5)} class="strong">{first.word}</text>
      {#if h > 32}<text x={stateX} y={y + h / 2 + 13} class="soft">{first.share}{letters > 2 ? '' : ' at start'}</text
        >{:else}<text x={LEFT - 8} y={y + h / 2 + 5} text-anchor="end" class="soft">{first.share}</text>{/if}
      <rect x={LEFT} {y} width={Math.max(0, width - LEFT - RIGHT)} height={h} fill="var(--sheet)" />
      <g clip-path="url(#{uid}-hours)">
        {#each pack.beds.filter((b) => b.start_s < span[1] && b.end_s > span[0]) as b (b.start_s)}
          {@const w = x(b.end_s) - x(b.start_s)}
          {@const middle = (x(Math.max(b.start_s, span[0])) + x(Math.min(b.end_s, span[1]))) / 2}
          {@const lit = !chosen || b.label === chosen || b.state !== 'flying'}
          <!-- svelte-ignore a11y_no_static_element_interactions -->
          <path
            d={shape(b, y, h)}
            fill="url(#p-{b.state})"
            opacity={(lit ? 0.92 : 0.35) * (atNow !== null && !b.happened ? 0.45 : 1)}
            onpointerenter={() => (tells = tellBed(pack, b))} />
          <path d={edge(b, y, h)} fill="none" {...warmth(b)} />
          {#if b.state === 'charging' && w > 15}
            <circle cx={middle} cy={y + h - Math.min(11, h / 2)} r="8" fill="var(--sheet)" stroke="var(--lichen)" />
            <text x={middle} y={y + h - Math.min(11, h / 2) + 4.5} text-anchor="middle" class="small">{b.label}</text>
          {:else if b.state === 'flying' && w > 15}
            <text x={middle} y={y + h - 5} text-anchor="middle" class="code flight">{b.label}</text>
          {/if}
        {/each}
      </g>
      <path d="M{LEFT} {y + h}H{width - RIGHT}" stroke="var(--ink)" stroke-width="1.2" />
    {/if}
  {/each}
  {#each groups as g (g.set)}<path d="M6 {g.y1 + 4}H1V{g.y2 - 4}H6" fill="none" stroke="var(--ink)" stroke-width="1.4" />{/each}
  <text x="0" y={loadTop + 16} class="strong">{plan.can_give_w === null ? 'Load' : 'Supply'}</text>
  <text x="0" y={loadTop + 33} class="soft">peak {(peak / 1000).toFixed(2)} kW</text>
  <rect x={LEFT} y={loadTop} width={Math.max(0, width - LEFT - RIGHT)} height={LOAD} fill="var(--sheet)" />
  <path
    clip-path="url(#{uid}-hours)"
    d={load}
    fill="url(#p-load)"
    stroke="var(--tarn)"
    stroke-width="1.4"
    stroke-dasharray="6 3" />
  {#each stops as [a, b] (a)}
    <rect x={x(a)} y={loadTop} width={Math.max(0, x(b) - x(a))} height={LOAD} fill="url(#p-closed)" />
    <text x={(x(a) + x(b)) / 2} y={loadTop + LOAD + 18} text-anchor="middle" class="small halo">refuel</text>
  {/each}
  {#if plan.finish_s >= span[0] && plan.finish_s <= span[1]}<path
      d="M{x(plan.finish_s)} {HOURS}V{loadTop + LOAD}"
      stroke="var(--ink)"
      stroke-width="1.8"
      stroke-dasharray="3 3" />{/if}
  {#if plan.can_give_w !== null}
    {@const y = loadTop + LOAD - (plan.can_give_w / most) * LOAD}
    <path d="M{LEFT} {y}H{width - RIGHT}" stroke="var(--madder)" stroke-width="1.8" />
    <text x={width - RIGHT - 4} y={y + 15} text-anchor="end" class="bad halo strong"
      >can give {(plan.can_give_w / 1000).toFixed(2)} kW</text>
  {/if}
  <path d="M{LEFT} {loadTop + LOAD}H{width - RIGHT}" stroke="var(--ink)" />
  {#if atNow !== null && atNow >= span[0] && atNow <= span[1]}
    <g data-testid="now">
      <path d="M{x(atNow)} {HOURS}V{loadTop + LOAD + 4}" stroke="var(--copper)" stroke-width="2.4" />
      <text x={x(atNow)} y={loadTop + LOAD + 18} text-anchor="middle" class="small halo">now {clock(day, atNow)}</text>
    </g>
  {/if}
  {#if plumb !== null && !drag}
    <path d="M{x(plumb)} {HOURS}V{loadTop + LOAD}" stroke="var(--ink)" stroke-width="0.8" pointer-events="none" />
    <text x={Math.min(x(plumb) + 4, width - 44)} y={loadTop + LOAD + 15} class="small halo" pointer-events="none"
      >{clock(day, plumb)}</text>
  {/if}
  {#if plan.finish_s >= span[0] && plan.finish_s <= span[1]}
    <g transform="translate({Math.min(x(plan.finish_s), width - 30)} 0)">
      <rect x="-27" y="1" width="54" height="22" rx="2" fill="var(--ink)" />
      <text y="17" text-anchor="middle" class="code flight" style="font-size: 14px">{clock(day, plan.finish_s)}</text>
    </g>
  {/if}
</svg>
{#if !quiet}
  <div class="no-print flex flex-wrap items-center gap-2 text-small">
    <span class="mr-auto min-h-5.5" aria-live="polite" data-testid="tells"
      >{tells || 'Hover or focus a row, or walk the sorties with the arrow keys; < and > move a sortie by five minutes.'}</span>
    <button class="button plain small" aria-label="Closer" onclick={() => zoom(0.6)}>+</button>
    <button class="button plain small" aria-label="Wider" onclick={() => zoom(1 / 0.6)}>−</button>
    {#if view}<button class="button plain small" onclick={() => (view = null)}>whole day</button>{/if}
  </div>
{/if}

{#if !quiet}
  <div class="mt-2 flex flex-wrap items-center gap-x-5 gap-y-1 text-note" aria-label="How to read">
    <span class="font-semibold">Fill is state</span>
    {#each ['flying', 'cooling', 'waiting', 'charging', 'resting', 'ready', 'grounded'] as s (s)}
      <span class="flex items-center gap-1.5"
        ><svg width="26" height="14" aria-hidden="true"
          ><rect width="26" height="14" rx="2" fill="url(#p-{s})" stroke="var(--ink)" /></svg
        >{s}</span>
    {/each}
    <span class="font-semibold">Height is charge</span><span class="flex items-center gap-1.5"
      ><svg width="26" height="8" aria-hidden="true"
        ><path d="M0 4H26" stroke="var(--copper)" stroke-width="2.6" stroke-dasharray="6 3" /></svg
      >hot</span
    ><span class="flex items-center gap-1.5"
      ><svg width="26" height="8" aria-hidden="true"
        ><path d="M0 4H26" stroke="var(--ink)" stroke-width="1.6" stroke-dasharray="1.5 3" /></svg
      >cold</span
    ><span>number: port</span><span>dashed: planned</span>{#if atNow !== null}<span>solid: happened</span><span
        >dotted: as planned before the day</span
      >{/if}{#if shown < plan.length_s - 60}<span class="quiet"
        >nothing planned from {clock(day, shown)} to {clock(day, plan.length_s)}</span
      >{/if}
  </div>

  <details class="mt-3" bind:open={table}>
    <summary class="inline-flex min-h-touch cursor-pointer items-center font-semibold">Schedule as a table</summary>
    <table class="sheet-table bg-sheet" data-testid="section-table">
      <thead><tr><th>pack</th><th>state</th><th>from</th><th>to</th><th class="!text-right">charge then</th></tr></thead>
      <tbody>
        {#each packs as p (p.name)}
          {#each p.beds as b, k (b.start_s)}
            <tr
              ><td class="font-semibold">{k ? '' : p.name}</td><td
                >{b.state}{b.state === 'charging' ? `, port ${b.label}` : b.label ? ` ${b.label}` : ''}</td
              ><td>{clock(day, b.start_s)}</td><td>{clock(day, b.end_s)}</td><td class="text-right"
                >{percent((b.curve as [number, number][]).at(-1)![1])}</td
              ></tr>
          {:else}<tr><td class="font-semibold">{p.name}</td><td colspan="4">{p.grounded}</td></tr>{/each}
        {/each}
      </tbody>
    </table>
    <p class="quiet mt-2">
      {#each plan.flights as f (f.flight)}{f.flight}
        {aircraftName(f.aircraft)}
        {clock(day, f.takeoff_s)}–{clock(day, f.landing_s)} on {f.set};
      {/each}
    </p>
  </details>
{/if}

<style>
  text {
    fill: var(--ink-2);
    font-size: 13px;
  }
  .small {
    fill: var(--ink);
    font-size: 12px;
    font-weight: 650;
  }
  .strong {
    fill: var(--ink);
    font-weight: 600;
  }
  .soft {
    fill: var(--ink-2);
    font-size: 12.5px;
    font-weight: 400;
  }
  .code {
    font-size: 12.5px;
    font-weight: 700;
  }
  .flight {
    fill: var(--sheet);
  }
  .number {
    fill: var(--ink);
    font-size: 19px;
    font-variation-settings: 'SHRP' 100;
    font-weight: 700;
  }
  .number.long {
    font-size: 15px;
  }
  .slim {
    font-size: 14px;
  }
  .bad {
    fill: var(--madder);
  }
  .halo {
    paint-order: stroke;
    stroke: var(--map-halo);
    stroke-width: 5px;
  }
  path,
  rect {
    transition: d var(--settle) ease;
  }
</style>
