/** Long series drawn one below the other on one time axis. Knows uPlot and nothing of where samples come from. */
import { token } from '$shared/ui/token';
import uPlot from 'uplot';
import type { Schemas } from '$shared/api/client';

export type Series = Schemas['SeriesOut'];
export interface Span {
  from: number;
  to: number;
}
export interface Line {
  name: string;
  label: string;
  colour: string;
  width?: number;
  dash?: number[];
}
export interface Bed {
  id: string;
  label: string;
  lines: Line[];
  scale: (value: number) => number;
  height: number;
  digits: number;
}

const CELLS = ['--ink', '--tarn', '--copper', '--heather', '--lichen', '--madder'];
const LEFT = 52;
export const PLOT_LEFT = LEFT;

/** What of a flight is drawn: beds for volts, percent, current, warmth and height, where the log tells them. */
export function bedsOf(series: Record<string, unknown>, cells: number, metric: boolean): Bed[] {
  const has = (name: string) => name in series;
  const found: Bed[] = [];
  const each = Object.keys(series)
    .filter((n) => /^cell_\d+_v$/.test(n))
    .sort((a, b) => Number(a.split('_')[1]) - Number(b.split('_')[1]));
  if (each.length)
    found.push({
      id: 'cells',
      label: 'V, each cell',
      lines: each.map((name, k) => ({
        name,
        label: `cell ${name.split('_')[1]}`,
        colour: CELLS[k % CELLS.length]!,
        width: 1.2,
        dash: k >= CELLS.length ? [5, 3] : undefined,
      })),
      scale: (v) => v,
      height: 150,
      digits: 2,
    });
  else if (has('pack_v'))
    found.push({
      id: 'volts',
      label: cells ? 'V, mean cell' : 'V, pack',
      lines: [{ name: 'pack_v', label: 'volts', colour: '--ink' }],
      scale: (v) => v / (cells || 1),
      height: 130,
      digits: 2,
    });
  if (has('left_frac'))
    found.push({
      id: 'percent',
      label: '% left',
      lines: [{ name: 'left_frac', label: 'percent', colour: '--lichen', width: 2 }],
      scale: (v) => v * 100,
      height: 110,
      digits: 0,
    });
  if (has('current_a'))
    found.push({
      id: 'current',
      label: 'A',
      lines: [{ name: 'current_a', label: 'current', colour: '--copper', width: 1 }],
      scale: Math.abs,
      height: 110,
      digits: 0,
    });
  if (has('pack_c'))
    found.push({
      id: 'warmth',
      label: metric ? '°C' : '°F',
      lines: [{ name: 'pack_c', label: 'pack temperature', colour: '--madder' }],
      scale: (v) => (metric ? v : v * 1.8 + 32),
      height: 84,
      digits: 0,
    });
  if (has('height_m'))
    found.push({
      id: 'height',
      label: metric ? 'm up' : 'ft up',
      lines: [{ name: 'height_m', label: 'height', colour: '--tarn' }],
      scale: (v) => (metric ? v : v * 3.28084),
      height: 92,
      digits: 0,
    });
  return found;
}

/** The part of a flight that is looked at after zooming by a factor about a time; never beyond the flight. */
export function zoomed(span: Span, whole: number, about: number, factor: number, least = 2): Span {
  const width = Math.min(whole, Math.max(Math.min(least, whole), (span.to - span.from) * factor));
  const share = (about - span.from) / Math.max(1e-9, span.to - span.from);
  return moved({ from: about - share * width, to: about + (1 - share) * width }, whole, 0);
}

/** The part looked at after moving it; its width stays. */
export function moved(span: Span, whole: number, by: number): Span {
  const width = Math.min(whole, span.to - span.from);
  const from = Math.min(Math.max(0, span.from + by), whole - width);
  return { from, to: from + width };
}

export function clock(s: number): string {
  const whole = Math.floor(s);
  const tenths = s % 1 ? `.${Math.floor((s % 1) * 10)}` : '';
  return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, '0')}${tenths}`;
}

/** So many digits that two ticks never read the same. */
export function places(ticks: number[], least: number): number {
  const step = ticks.length > 1 ? Math.abs(ticks[1]! - ticks[0]!) : 1;
  return Math.max(least, Math.min(4, Math.ceil(-Math.log10(step) - 1e-9)), 0);
}

export class Curves {
  #plots: uPlot[] = [];
  #beds: Bed[];
  #data: Series;
  #span: Span;

  constructor(
    node: HTMLElement,
    beds: Bed[],
    data: Series,
    span: Span,
    on: { point: (at: number | null) => void; width: (px: number) => void },
  ) {
    this.#beds = beds;
    this.#data = data;
    this.#span = span;
    const width = () => Math.max(240, node.clientWidth);
    const font = '12px "Geologica Variable", sans-serif';
    beds.forEach((bed, n) => {
      const last = n === beds.length - 1;
      const holder = document.createElement('div');
      holder.className = 'bed';
      const name = document.createElement('span');
      name.className = 'bed-name';
      name.textContent = bed.label;
      holder.append(name);
      node.append(holder);
      const grid = { stroke: token('--rule'), width: 0.6 };
      this.#plots.push(
        new uPlot(
          {
            width: width(),
            height: bed.height + (last ? 26 : 0),
            padding: [8, 8, last ? 0 : 8, 0],
            legend: { show: false },
            cursor: {
              sync: { key: 'flight' },
              drag: { x: false, y: false },
              points: { size: 6 },
              y: false,
            },
            scales: { x: { time: false, range: () => [this.#span.from, this.#span.to] } },
            axes: [
              {
                show: last,
                size: 26,
                font,
                stroke: token('--ink-2'),
                grid,
                ticks: { show: false },
                values: (_u, ticks) => ticks.map(clock),
                incrs: [0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1200, 3600],
              },
              {
                size: LEFT,
                font,
                stroke: token('--ink-2'),
                grid,
                ticks: { show: false },
                space: 26,
                values: (_u, ticks) => ticks.map((t) => t.toFixed(places(ticks, bed.digits))),
              },
            ],
            series: [
              {},
              ...bed.lines.map((l) => ({
                label: l.label,
                stroke: token(l.colour),
                width: l.width ?? 1.6,
                dash: l.dash,
                points: { show: false },
                spanGaps: false,
              })),
            ],
            hooks: {
              setCursor: [(u) => u === this.#plots[0] && on.point(u.cursor.left! >= 0 ? u.posToVal(u.cursor.left!, 'x') : null)],
            },
          },
          this.#table(bed),
          holder,
        ),
      );
    });
    const fit = () => {
      this.#plots.forEach((p, n) => p.setSize({ width: width(), height: beds[n]!.height + (n === beds.length - 1 ? 26 : 0) }));
      on.width(width());
    };
    this.#observer = new ResizeObserver(fit);
    this.#observer.observe(node);
    on.width(width());
  }
  #observer: ResizeObserver;

  #table(bed: Bed): uPlot.AlignedData {
    const { time_s, series } = this.#data;
    return [
      time_s,
      ...bed.lines.map((l) => (series[l.name] ?? []).map((v) => (v === null || v === undefined ? null : bed.scale(v)))),
    ] as uPlot.AlignedData;
  }

  /** Draw other samples, or look at another part of them. */
  show(data: Series, span: Span) {
    const same = data === this.#data;
    this.#data = data;
    this.#span = span;
    this.#plots.forEach((p, n) => {
      if (same) p.setScale('x', { min: span.from, max: span.to });
      else p.setData(this.#table(this.#beds[n]!));
    });
  }

  destroy() {
    this.#observer.disconnect();
    this.#plots.forEach((p) => p.destroy());
    this.#plots = [];
  }
}

const LETTER_PX = 7.1;
const ROWS = 2;

/** An event with its words beside its line: in which row, on its right or left; no side where they would cover others. */
export interface Beside<T> {
  event: T;
  at: number;
  row: number;
  side: 'start' | 'end' | '';
}

/**
 * Place the words of events that stand at some pixels from the left within `width`; those named first have the choice.
 *
 * Words never cover words; they cross the line of another event only where there is no other room.
 */
export function beside<T extends { words: string }>(events: { event: T; at: number }[], width: number): Beside<T>[] {
  const placed: { row: number; from: number; to: number }[] = [];
  const lines = events.map((e) => e.at);
  return events.map(({ event, at }) => {
    const wide = event.words.length * LETTER_PX + 8;
    for (const crossing of [false, true])
      for (let row = 0; row < ROWS; row++)
        for (const side of ['start', 'end'] as const) {
          const [from, to] = side === 'start' ? [at, at + wide] : [at - wide, at];
          const covers = placed.some((p) => p.row === row && p.from < to && from < p.to);
          const crosses = lines.some((x) => x > from && x < to);
          if (from < 0 || to > width || covers || (crosses && !crossing)) continue;
          placed.push({ row, from, to });
          return { event, at, row, side };
        }
    return { event, at, row: 0, side: '' };
  });
}
