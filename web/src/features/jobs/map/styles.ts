/** How grounds, keep-outs, corridors and contours look, and where on them something may stand. */
import Feature from 'ol/Feature';
import type { FeatureLike } from 'ol/Feature';
import { LineString, MultiLineString, Polygon } from 'ol/geom';
import { toLonLat } from 'ol/proj';
import { Fill, Stroke, Style, Text } from 'ol/style';
import { token } from '$shared/ui/token';

export const FONT = '"Geologica Variable", sans-serif';

export function cornersOf(g: Polygon | LineString): number[][] {
  return g instanceof LineString ? g.getCoordinates() : (g.getCoordinates()[0]?.slice(1) ?? []);
}

export function middleOf(g: Polygon | LineString): number[] {
  return g instanceof LineString ? g.getCoordinateAt(0.5) : g.getInteriorPoint().getCoordinates().slice(0, 2);
}

export function ground(leftOut: boolean): Style {
  return new Style({
    stroke: new Stroke({
      color: token(leftOut ? '--ink-3' : '--ink'),
      width: leftOut ? 1.4 : 2.2,
      lineDash: leftOut ? [3, 5] : [],
    }),
    fill: new Fill({ color: leftOut ? 'transparent' : token('--area-fill') }),
  });
}

/** A corridor is drawn as wide as it is on the ground. */
export function corridor(width_m: number, leftOut: boolean, axis: boolean) {
  return (f: FeatureLike, resolution: number): Style[] => {
    const [, y] = toLonLat((f.getGeometry() as LineString).getCoordinateAt(0.5));
    const px = Math.max(3, width_m / (resolution * Math.cos((y! * Math.PI) / 180)));
    return [
      new Style({
        stroke: new Stroke({ color: token(leftOut ? '--ink-3' : '--ink'), width: px + 3, lineCap: 'butt', lineJoin: 'miter' }),
      }),
      new Style({ stroke: new Stroke({ color: token('--paper-deep'), width: px, lineCap: 'butt', lineJoin: 'miter' }) }),
      ...(axis ? [new Style({ stroke: new Stroke({ color: token('--ink-2'), width: 1, lineDash: [8, 6] }) })] : []),
    ];
  };
}

export function numbered(lines: MultiLineString, height: string): Feature {
  const f = new Feature(lines);
  f.setStyle(
    new Style({
      text: new Text({
        text: height,
        placement: 'line',
        font: `500 12px ${FONT}`,
        fill: new Fill({ color: token('--contour-bold') }),
        stroke: new Stroke({ color: token('--map-halo'), width: 3 }),
        repeat: 700,
        maxAngle: 0.4,
      }),
    }),
  );
  return f;
}

export function crosses(never: boolean): CanvasPattern | string {
  const tile = document.createElement('canvas');
  tile.width = tile.height = 11;
  const c = tile.getContext('2d');
  if (!c) return token('--wash-madder');
  c.fillStyle = token('--wash-madder');
  if (never) c.fillRect(0, 0, 11, 11);
  c.strokeStyle = token('--madder');
  c.lineWidth = 1.2;
  c.beginPath();
  c.moveTo(3, 3);
  c.lineTo(8, 8);
  if (never) {
    c.moveTo(8, 3);
    c.lineTo(3, 8);
  }
  c.stroke();
  return c.createPattern(tile, 'repeat') ?? token('--wash-madder');
}

/** Lines in one direction on a clear ground. */
export function hatch(ink: string, turn: 1 | -1, gap: number, width: number): CanvasPattern | string {
  const tile = document.createElement('canvas');
  tile.width = tile.height = gap;
  const c = tile.getContext('2d');
  if (!c) return 'transparent';
  c.strokeStyle = token(ink);
  c.lineWidth = width;
  for (const off of [-gap, 0, gap]) {
    c.beginPath();
    c.moveTo(off, turn > 0 ? 0 : gap);
    c.lineTo(off + gap, turn > 0 ? gap : 0);
    c.stroke();
  }
  return c.createPattern(tile, 'repeat') ?? 'transparent';
}
