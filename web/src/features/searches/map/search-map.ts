/** The map of a search: segments shaded by what each hectare of them holds, the last known point, home, clues and finds. */
import Feature from 'ol/Feature';
import OlMap from 'ol/Map';
import View from 'ol/View';
import { createEmpty, extend, isEmpty } from 'ol/extent';
import { LineString, Point, Polygon } from 'ol/geom';
import { Draw } from 'ol/interaction';
import VectorLayer from 'ol/layer/Vector';
import { fromLonLat, toLonLat } from 'ol/proj';
import VectorSource from 'ol/source/Vector';
import { Fill, RegularShape, Stroke, Style, Text } from 'ol/style';
import { token } from '$shared/ui/token';
import type { Schemas } from '$shared/api/client';

type Place = [number, number];
export type Tool = 'look' | 'segment' | 'path' | 'water' | 'place';
export interface Edits {
  pick(id: string): void;
  segment(ring: Place[]): void;
  path(line: Place[]): void;
  water(ring: Place[]): void;
  place(at: Place): void;
}

const FONT = '"Geologica Variable", sans-serif';
const at = (p: number[]): number[] => fromLonLat([p[0]!, p[1]!]);
const back = (p: number[]): Place => {
  const [x, y] = toLonLat(p) as Place;
  return [Number(x.toFixed(7)), Number(y.toFixed(7))];
};

/** A shade in four steps and as many hatches: colour is never the only sign. */
export function stepOf(density: number, most: number): 0 | 1 | 2 | 3 {
  if (most <= 0 || density <= 0) return 0;
  const of = density / most;
  return of > 0.6 ? 3 : of > 0.25 ? 2 : of > 0.08 ? 1 : 0;
}

function hatched(step: number): CanvasPattern | string {
  if (step === 0) return token('--area-fill');
  const canvas = document.createElement('canvas');
  const side = [0, 14, 9, 6][step]!;
  canvas.width = canvas.height = side;
  const pen = canvas.getContext('2d')!;
  pen.fillStyle = token('--area-fill');
  pen.fillRect(0, 0, side, side);
  pen.strokeStyle = token('--heather');
  pen.globalAlpha = [0, 0.45, 0.6, 0.8][step]!;
  pen.lineWidth = 1.5;
  pen.beginPath();
  pen.moveTo(-1, side + 1);
  pen.lineTo(side + 1, -1);
  pen.stroke();
  return pen.createPattern(canvas, 'repeat') ?? token('--area-fill');
}

export class SearchMap {
  map: OlMap;
  #segments = new VectorLayer({ source: new VectorSource(), zIndex: 2 });
  #lines = new VectorLayer({ source: new VectorSource(), zIndex: 3 });
  #signs = new VectorLayer({ source: new VectorSource(), zIndex: 4, declutter: true });
  // Where the search is about hides behind no number.
  #places = new VectorLayer({ source: new VectorSource(), zIndex: 5 });
  #drawn: Draw | null = null;
  #tool: Tool = 'look';
  #edits: Edits;

  constructor(target: HTMLElement, edits: Edits) {
    this.#edits = edits;
    this.map = new OlMap({
      target,
      pixelRatio: Math.min(2, window.devicePixelRatio),
      controls: [],
      layers: [this.#segments, this.#lines, this.#signs, this.#places],
      view: new View({ center: fromLonLat([-4.3, 55.1]), zoom: 13, maxZoom: 20, minZoom: 3 }),
    });
    this.map.on('singleclick', (e) => {
      if (this.#tool === 'place') {
        this.#edits.place(back(e.coordinate));
        return;
      }
      if (this.#tool !== 'look') return;
      const hit = this.map.forEachFeatureAtPixel(e.pixel, (f) => f.get('segment') as string | undefined);
      if (hit) this.#edits.pick(hit);
    });
  }

  /** Take a tool up: what is drawn is handed over when it is closed. */
  use(tool: Tool) {
    this.#tool = tool;
    if (this.#drawn) this.map.removeInteraction(this.#drawn);
    this.#drawn = null;
    if (tool === 'look' || tool === 'place') return;
    const draw = new Draw({ source: new VectorSource(), type: tool === 'path' ? 'LineString' : 'Polygon' });
    draw.on('drawend', (e) => {
      const g = e.feature.getGeometry();
      const ring = g instanceof Polygon ? g.getCoordinates()[0]!.slice(0, -1).map(back) : [];
      if (g instanceof Polygon) this.#edits[tool === 'water' ? 'water' : 'segment'](ring);
      else if (g instanceof LineString) this.#edits.path(g.getCoordinates().map(back));
    });
    this.map.addInteraction(draw);
    this.#drawn = draw;
  }

  show(search: Schemas['SearchOut'], picked: string, next: string, path: Place[]) {
    const [segments, lines, signs] = [this.#segments, this.#lines, this.#signs].map((l) => l.getSource()!);
    for (const source of [segments!, lines!, signs!, this.#places.getSource()!]) source.clear();
    const density = (s: Schemas['SegmentOut']) => (s.area_ha > 0 ? s.share_frac / s.area_ha : 0);
    const most = Math.max(...search.segments.map(density), 0);
    for (const s of search.segments) {
      const f = new Feature(new Polygon([[...s.ring, s.ring[0]!].map((p) => at(p as number[]))]));
      f.set('segment', s.id);
      const chosen = s.id === picked;
      f.setStyle(
        new Style({
          fill: new Fill({ color: hatched(stepOf(density(s), most)) }),
          stroke: new Stroke({
            color: token(s.id === next ? '--tarn' : '--ink'),
            width: chosen || s.id === next ? 3.4 : 1.4,
            lineDash: s.looks ? [] : [6, 4],
          }),
          zIndex: chosen || s.id === next ? 2 : 1,
        }),
      );
      segments!.addFeature(f);
      const inside = (f.getGeometry() as Polygon).getInteriorPoint();
      const word = new Feature(new Point(inside.getCoordinates().slice(0, 2)));
      word.set('segment', s.id);
      const looked = s.looks ? `\nPOD ${Math.round(s.detection_frac * 100)} %` : '';
      word.setStyle(this.#word(`${s.name}\n${(s.share_frac * 100).toFixed(s.share_frac < 0.1 ? 1 : 0)} %${looked}`, '--ink'));
      signs!.addFeature(word);
    }
    for (const ring of search.waters) {
      const f = new Feature(new Polygon([ring.map((p) => at(p as number[]))]));
      f.setStyle(new Style({ stroke: new Stroke({ color: token('--tarn'), width: 2, lineDash: [2, 4] }) }));
      lines!.addFeature(f);
    }
    for (const line of [...search.paths, ...(path.length > 1 ? [path] : [])]) {
      const f = new Feature(new LineString(line.map((p) => at(p as number[]))));
      f.setStyle(new Style({ stroke: new Stroke({ color: token(line === path ? '--tarn' : '--ink-2'), width: 2 }) }));
      lines!.addFeature(f);
    }
    if (search.point) this.#sign(search.point as number[], 'last known point', 4, '--madder');
    if (search.home) this.#sign(search.home as number[], 'home', 3, '--ink', -20);
    for (const r of search.reports)
      if (r.place && !r.taken_back) this.#sign(r.place as number[], r.kind === 'find' ? 'found' : 'clue', 5, '--copper');
  }

  #word(text: string, ink: string): Style {
    return new Style({
      text: new Text({
        text,
        font: `600 13px ${FONT}`,
        fill: new Fill({ color: token(ink) }),
        stroke: new Stroke({ color: token('--map-halo'), width: 4 }),
      }),
    });
  }

  #sign(place: number[], words: string, points: number, ink: string, wordsBelow = 20) {
    const f = new Feature(new Point(at(place)));
    const style = this.#word(words, ink);
    style.getText()!.setOffsetY(wordsBelow);
    style.setImage(
      new RegularShape({
        points,
        radius: 10,
        fill: new Fill({ color: token(ink) }),
        stroke: new Stroke({ color: token('--sheet'), width: 2 }),
      }),
    );
    f.setStyle(style);
    this.#places.getSource()!.addFeature(f);
  }

  fit() {
    const box = createEmpty();
    for (const layer of [this.#segments, this.#lines, this.#places])
      for (const f of layer.getSource()!.getFeatures()) extend(box, f.getGeometry()!.getExtent());
    if (!isEmpty(box)) this.map.getView().fit(box, { padding: [76, 40, 40, 40], maxZoom: 17 });
  }

  end() {
    this.map.setTarget(undefined);
  }
}
