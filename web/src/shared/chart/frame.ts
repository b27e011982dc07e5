/** The ground that drawings stand on: two scales on a sheet, paths over them, and where a pointer is. */
import { scaleLinear, type ScaleLinear } from 'd3-scale';
import { area, line } from 'd3-shape';

export type Point = [number, number];
/** Along, then the lower and the upper edge. */
export type Strip = [number, number, number];
export type Span = [number, number];

export interface Frame {
  /** From figures to pixels. */
  x: ScaleLinear<number, number>;
  y: ScaleLinear<number, number>;
  /** Edges of the sheet, in pixels. */
  left: number;
  right: number;
  top: number;
  floor: number;
}
export interface Margins {
  left?: number;
  right?: number;
  top?: number;
  bottom?: number;
}

export function frame(width: number, height: number, x: Span, y: Span, margins: Margins = {}): Frame {
  const { left = 40, right = 14, top = 8, bottom = 22 } = margins;
  const edges = { left, right: Math.max(left + 1, width - right), top, floor: height - bottom };
  return { ...edges, x: scaleLinear(x, [edges.left, edges.right]), y: scaleLinear(y, [edges.floor, edges.top]) };
}

/** The span of values with room beside them, as shares of it; a single value gets room of one unit. */
export function span(values: number[], below = 0, above = below): Span {
  if (!values.length) return [0, 1];
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const wide = high - low || 1;
  return [low - wide * below, high + wide * above];
}

/** The path through points. */
export const through = (f: Frame, points: Point[]) =>
  line<Point>(
    (p) => f.x(p[0]),
    (p) => f.y(p[1]),
  )(points) ?? '';

/** The surface between two edges; what lies outside the sheet ends at its edge. */
export const between = (f: Frame, strips: Strip[]) => {
  const inside = (v: number) => Math.min(f.floor, Math.max(f.top, f.y(v)));
  return (
    area<Strip>(
      (p) => f.x(p[0]),
      (p) => inside(p[1]),
      (p) => inside(p[2]),
    )(strips) ?? ''
  );
};

/** How high a drawn line stands at a place along it: the figure is the server's, this only finds where to put a mark. */
export function heightAt(points: readonly number[][], along: number): number {
  const k = points.findIndex((p) => p[0]! >= along);
  if (k <= 0) return points.at(k)![1]!;
  const [a, b] = [points[k - 1]!, points[k]!];
  return a[1]! + ((b[1]! - a[1]!) * (along - a[0]!)) / Math.max(1e-9, b[0]! - a[0]!);
}

/** Where a pointer is over an element, in its pixels. */
export function placeIn(node: Element, e: { clientX: number; clientY: number }): { x: number; y: number } {
  const box = node.getBoundingClientRect();
  return { x: e.clientX - box.left, y: e.clientY - box.top };
}
