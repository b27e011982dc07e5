<!-- The gate: gust and mean at flying height against the limit along the hours; closed hours hatched, other limits as thin rows. -->
<script lang="ts">
  import { sized } from '$shared/ui/sized';
  import { frame, through, type Point } from '$shared/chart/frame';
  import Level from '$shared/chart/Level.svelte';
  import { toShown, unitOf } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { GATE_FILL, GATE_WORDS } from '$shared/ui/Gate.svelte';
  import { pointOf } from '$shared/ui/WindArrow.svelte';
  import { drawnHours, hourOf, measuredPoints, rowOf, SHORT, thinRows, type GateDay, type GateHour } from '../words/gate';

  interface Props {
    day: GateDay;
    chosen: string;
    bands: { care: number; no: number };
  }
  let { day, chosen = $bindable(), bands }: Props = $props();
  let room = $state(900);
  const width = $derived(Math.max(460, room));
  const LEFT = 128;
  const RIGHT = 84;
  const TOP = 44;
  const H = 172;
  const THIN = 19;
  const hours = $derived(drawnHours(day));
  const first = $derived(day.hours.indexOf(hours[0]!));
  const rows = $derived(thinRows(day));
  const limit = $derived(day.limits.find((l) => l.key === 'gust_m_s')?.most ?? null);
  const measured = $derived(measuredPoints(day, 'gust_m_s').filter((p) => p.x >= first && p.x <= first + hours.length));
  const top = $derived(
    Math.max(
      8,
      (limit?.value ?? 0) * 1.25,
      ...hours.map((h) => h.forecast?.gust_m_s ?? 0),
      ...measured.map((p) => p.value * 1.05),
    ) * 1.06,
  );
  const f = $derived(
    frame(width, TOP + H, [first, first + hours.length], [0, top], { left: LEFT, right: RIGHT, top: TOP, bottom: 0 }),
  );
  const x = $derived(f.x);
  const y = $derived(f.y);
  const curve = (key: 'gust_m_s' | 'wind_m_s') =>
    through(
      f,
      hours.flatMap((h, k): Point[] => (h.forecast?.[key] == null ? [] : [[first + k + 0.5, h.forecast[key]!]])),
    );
  const bottom = $derived(TOP + H + 34 + rows.length * THIN);
  const now = $derived((Date.now() - Date.parse(day.begins)) / 3.6e6);
  const unit = $derived(unitOf('m_s', session.units));
  const num = (v: number) => String(Number(toShown(v, 'm_s', session.units).toFixed(1)));
  const at = (h: GateHour) => day.hours.indexOf(h);
  const limitText = $derived(limit ? `limit ${num(limit.value)}` : '');

  function press(e: KeyboardEvent) {
    const k = hours.findIndex((h) => h.at === chosen);
    const to = e.key === 'ArrowRight' ? k + 1 : e.key === 'ArrowLeft' ? k - 1 : -1;
    if (to < 0 || to >= hours.length) return;
    e.preventDefault();
    chosen = hours[to]!.at;
    requestAnimationFrame(() => document.getElementById(`hour-${hourOf(chosen)}`)?.focus());
  }
</script>

<div {@attach sized((size) => (room = size.width))}></div>
<svg
  {width}
  height={bottom + 8}
  class="chart block"
  role="group"
  aria-label="The weather window, hour by hour; arrow keys walk along it">
  {#each hours as h (h.at)}
    {@const k = at(h)}
    {#if h.verdict.word === 'no'}
      <rect x={x(k)} y={TOP} width={x(k + 1) - x(k)} height={H} fill={h.verdict.unknown ? 'url(#p-resting)' : 'url(#p-closed)'} />
    {/if}
  {/each}
  {#each y.ticks(4) as t (t)}
    <path d="M{LEFT} {y(t)}H{width - RIGHT}" stroke="var(--rule)" />
    <text x={LEFT - 8} y={y(t) + 4} text-anchor="end">{num(t)}{t === y.ticks(4).at(-1) ? ` ${unit}` : ''}</text>
  {/each}
  {#if limit}
    <Level {f} value={limit.value * bands.care} tone="copper" dash="2 4" width={1} />
    <Level {f} value={limit.value * bands.no} tone="madder" dash="7 4" width={1} />
    <Level {f} value={limit.value} tone="madder" width={2} />
    <text x={width - RIGHT + 6} y={y(limit.value) + 1} class="bad">{limitText}</text>
    <text x={width - RIGHT + 6} y={y(limit.value * bands.no) + 10} class="bad small">no go {Math.round(bands.no * 100)} %</text>
    <text x={width - RIGHT + 6} y={y(limit.value * bands.care) + 6} class="copper small"
      >care {Math.round(bands.care * 100)} %</text>
  {/if}
  <path d={curve('wind_m_s')} fill="none" stroke="var(--tarn)" stroke-width="1.8" stroke-dasharray="6 4" />
  <path d={curve('gust_m_s')} fill="none" stroke="var(--ink)" stroke-width="2.2" stroke-dasharray="9 4" />
  {#each measured as p, k (k)}
    <path d="M{x(p.x)} {y(0)}V{y(p.value)}" stroke="var(--ink)" stroke-width="1.4" />
    <circle cx={x(p.x)} cy={y(p.value)} r="6" fill="var(--ink)" stroke="var(--sheet)" stroke-width="2" />
    <text x={x(p.x) + 9} y={y(p.value) - 7} class="strong halo">{num(p.value)} measured</text>
  {/each}
  <path d="M{LEFT} {TOP + H}H{width - RIGHT}" stroke="var(--ink)" stroke-width="1.4" />
  <text x="0" y={TOP + H + 20}>wind to</text>
  {#each rows as key, r (key)}
    {@const ry = TOP + H + 32 + r * THIN}
    <text x="0" y={ry + 13}>{SHORT[key] ?? key}</text>
  {/each}
  {#each hours as h (h.at)}
    {@const k = at(h)}
    {@const mid = (x(k) + x(k + 1)) / 2}
    {@const w = x(k + 1) - x(k)}
    {#if h.forecast?.from_deg != null}
      <g transform="translate({mid} {TOP + H + 16}) rotate({h.forecast.from_deg + 180})">
        <path d="M0 8V-4" stroke="var(--tarn)" stroke-width="2" /><path d="M0 -9L4.6 -2H-4.6Z" fill="var(--tarn)" />
      </g>
    {/if}
    {#each rows as key, r (key)}
      {@const row = rowOf(h, key)}
      {@const ry = TOP + H + 32 + r * THIN}
      {#if row}
        <rect
          x={x(k) + 0.5}
          y={ry}
          width={w - 1}
          height={THIN - 3}
          fill={row.verdict === 'go'
            ? 'var(--sheet)'
            : row.value === null
              ? 'url(#p-resting)'
              : `url(#${GATE_FILL[row.verdict]})`}
          stroke="var(--rule)" />
        {#if row.verdict !== 'go' && w > 22}<text x={mid} y={ry + 12.5} text-anchor="middle" class="strong halo small"
            >{row.value === null ? '?' : row.verdict === 'no' ? '✕' : '!'}</text
          >{/if}
      {/if}
    {/each}
    <g
      id="hour-{hourOf(h.at)}"
      role="button"
      tabindex={h.at === chosen || (!chosen && h === hours[0]) ? 0 : -1}
      aria-pressed={h.at === chosen}
      aria-label="{hourOf(h.at)}, {h.verdict.unknown ? 'not known, no go' : GATE_WORDS[h.verdict.word]}{h.forecast?.gust_m_s !=
      null
        ? `, gust ${num(h.forecast.gust_m_s)} ${unit} from ${pointOf(h.forecast.from_deg ?? 0)}`
        : ''}"
      class="hour"
      onclick={() => (chosen = h.at)}
      onkeydown={press}>
      <rect x={x(k)} y="0" width={w} height={bottom} fill="transparent" />
      <text x={mid} y="16" text-anchor="middle" class:strong={h.at === chosen}>{hourOf(h.at).slice(0, 2)}</text>
      <text
        x={mid}
        y="35"
        text-anchor="middle"
        class="sign {h.verdict.word === 'no' ? 'bad' : h.verdict.word === 'care' ? 'copper' : 'lichen'}"
        >{h.verdict.unknown ? '?' : h.verdict.word === 'no' ? '✕' : h.verdict.word === 'care' ? '!' : '✓'}</text>
      {#if h.at === chosen}<rect
          x={x(k) + 1}
          y="2"
          width={w - 2}
          height={bottom - 2}
          fill="none"
          stroke="var(--ink)"
          stroke-width="2" />{/if}
    </g>
  {/each}
  {#if now > first && now < first + hours.length}
    <path d="M{x(now)} {TOP - 6}V{bottom}" stroke="var(--ink)" stroke-width="1.8" stroke-dasharray="3 3" />
    <text x={x(now)} y={TOP + 12} text-anchor="middle" class="strong halo">now</text>
  {/if}
  <text x="0" y="16">hour</text>
  <text x="0" y={TOP + 16} class="strong"
    >at {Math.round(toShown(day.height_m, 'm', session.units))} {unitOf('m', session.units)}</text>
  <text x="0" y={TOP + 36}><tspan class="strong">– –</tspan> gust</text>
  <text x="0" y={TOP + 53} style="fill: var(--tarn)">- - mean</text>
  <text x="0" y={TOP + 70}><tspan class="strong">●</tspan> measured</text>
</svg>

<style>
  text {
    fill: var(--ink-2);
    font-size: 12.5px;
  }
  .small {
    font-size: 12px;
  }
  .strong {
    fill: var(--ink);
    font-weight: 650;
  }
  .bad {
    fill: var(--madder);
    font-weight: 600;
  }
  .copper {
    fill: var(--copper);
  }
  .lichen {
    fill: var(--lichen);
  }
  .sign {
    font-size: 17px;
    font-weight: 750;
  }
  .hour {
    cursor: pointer;
    outline: none;
  }
  .hour:focus-visible rect:first-child {
    stroke: var(--tarn);
    stroke-width: 2.5;
  }
</style>
