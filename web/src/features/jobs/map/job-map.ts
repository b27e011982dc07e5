/** The map of a job: drawn from the terrain grid and from what is planned; knows nothing of saving. */
import Feature from 'ol/Feature';
import OlMap from 'ol/Map';
import View from 'ol/View';
import { singleClick } from 'ol/events/condition';
import { createEmpty, extend, getCenter, getHeight, getWidth, isEmpty } from 'ol/extent';
import { LineString, MultiLineString, MultiPolygon, Point, Polygon } from 'ol/geom';
import { circular } from 'ol/geom/Polygon';
import { Draw, Modify, Snap } from 'ol/interaction';
import Graticule from 'ol/layer/Graticule';
import TileLayer from 'ol/layer/Tile';
import VectorLayer from 'ol/layer/Vector';
import { fromLonLat, toLonLat, transformExtent } from 'ol/proj';
import VectorSource from 'ol/source/Vector';
import XYZ from 'ol/source/XYZ';
import { Circle, Fill, RegularShape, Stroke, Style, Text } from 'ol/style';
import type { Job, Plan } from '../state/draft.svelte';
import { token } from '$shared/ui/token';
import { lookOf } from '../state/look';
import { turned } from '../state/places';
import { measure, type Drawn } from './measure';
import { corridor, cornersOf, crosses, FONT, ground, hatch, middleOf } from './styles';
import { FlownLayer, type Shown } from '../flown/flown-layer';
import { TerrainLayers, type Terrain } from './terrain-layers';
import { outward, WordsLayer } from './words-layer';

export type Tool =
  'move' | 'outline' | 'corridor' | 'keep-out' | 'structure' | 'sensitive-line' | 'sensitive-outline' | 'home' | 'stopped';
type Place = [number, number];

export interface Edits {
  areas(rings: Place[][]): void;
  addArea(ring: Place[], corridor: boolean): void;
  pickArea(nth: number): void;
  stopped(place: Place): void;
  keepOuts(rings: Place[][]): void;
  addStructure(ring: Place[]): void;
  addSensitive(ring: Place[], closed: boolean): void;
  addKeepOut(ring: Place[]): void;
  home(place: Place): void;
  pick(sortie: number): void;
  pickGap(gap: number): void;
  pointer(place: Place | null): void;
  drawing(drawn: Drawn | null): void;
}

/** A picture of the ground, the company's own or a service's. */
export interface Picture {
  id: string;
  url: string;
  bounds: number[] | null;
  zooms: [number, number];
}

let middle = 0;
// In the turn of the job, so that what crosses 180° is drawn as one piece.
const at = (p: number[]): number[] => fromLonLat([turned(p[0]!, middle), p[1]!]);
const back = (p: number[]): Place => {
  const [x, y] = toLonLat(p) as Place;
  return [Number(turned(x, 0).toFixed(7)), Number(y.toFixed(7))];
};
const ringOf = (p: Polygon | LineString): Place[] =>
  p instanceof LineString ? p.getCoordinates().map(back) : p.getCoordinates()[0]!.slice(0, -1).map(back);

export class JobMap {
  map: OlMap;
  #terrain = new TerrainLayers();
  #ground = new VectorLayer({ source: new VectorSource(), zIndex: 3 });
  #plan = new VectorLayer({ source: new VectorSource(), zIndex: 4 });
  #handles = new VectorLayer({ source: new VectorSource(), zIndex: 6 });
  #marks = new VectorLayer({ source: new VectorSource(), zIndex: 7 });
  #short = new VectorLayer({ source: new VectorSource(), zIndex: 3.5 });
  #flown = new FlownLayer();
  #words = new WordsLayer();
  #here = new VectorLayer({ source: new VectorSource(), zIndex: 9 });
  #pictures: TileLayer<XYZ>[] = [];
  /** What lies over the edges of the map, in points: the job is fitted into what is left. */
  room = { top: 34, right: 110, bottom: 70, left: 60 };
  /** How large the title in the upper left corner is. */
  title = { width: 0, height: 0 };
  #grid: Graticule;
  #edits: Edits;
  #tool: Tool = 'move';
  #tools: (Draw | Modify | Snap)[] = [];
  #areas: Feature<Polygon | LineString>[] = [];
  #keeps: Feature<Polygon>[] = [];
  #home: Feature<Point> | null = null;
  #dragging = false;
  #pointed: number[] | null = null;
  #whole: number[] | null = null;
  writable = true;

  constructor(target: HTMLElement, edits: Edits) {
    this.#edits = edits;
    this.#grid = new Graticule({
      strokeStyle: new Stroke({ color: token('--rule'), width: 1, lineDash: [2, 5] }),
      showLabels: true,
      wrapX: false,
      zIndex: 2,
      lonLabelStyle: this.#gridText(),
      latLabelStyle: this.#gridText(),
    });
    this.map = new OlMap({
      target,
      pixelRatio: Math.min(2, window.devicePixelRatio),
      controls: [],
      layers: [
        ...this.#terrain.layers,
        this.#grid,
        this.#ground,
        this.#short,
        this.#plan,
        this.#flown.layer,
        this.#marks,
        this.#handles,
        this.#words.layer,
        this.#here,
      ],
      view: new View({ center: fromLonLat([-4.3, 55.1]), zoom: 14, maxZoom: 21, minZoom: 3 }),
    });
    this.map.on('rendercomplete', () => {
      const view = this.map.getView();
      target.dataset.centre = view.getCenter()?.join(' ');
      target.dataset.resolution = String(view.getResolution());
      target.dataset.drawn = String(Date.now());
    });
    // What was brought into view stays in view when the map changes size, until a person moves it.
    this.map.on('change:size', () => this.#whole && this.#show(false));
    const moved = () => (this.#whole = null);
    this.map.on('pointerdrag', moved);
    target.addEventListener('wheel', moved, { passive: true });
    this.map.on('pointermove', (e) => edits.pointer(e.dragging ? null : back(e.coordinate)));
    this.map.on('singleclick', (e) => {
      if (this.#tool === 'home') {
        this.#whole = null;
        edits.home(back(e.coordinate));
      }
      if (this.#tool === 'stopped') edits.stopped(back(e.coordinate));
      if (this.#tool !== 'move') return;
      this.map.forEachFeatureAtPixel(e.pixel, (f) => (f.get('gap') ? (edits.pickGap(f.get('gap')), true) : false));
      this.map.forEachFeatureAtPixel(e.pixel, (f) => (f.get('sortie') ? (edits.pick(f.get('sortie')), true) : false), {
        hitTolerance: 5,
      });
      const nth = this.#areas.findIndex((f) => f.getGeometry()!.intersectsCoordinate(e.coordinate));
      if (nth >= 0) edits.pickArea(nth);
    });
    this.use('move');
  }

  destroy() {
    this.map.setTarget(undefined);
    this.map.dispose();
  }

  #gridText() {
    return new Text({
      font: `500 12px ${FONT}`,
      fill: new Fill({ color: token('--ink-2') }),
      stroke: new Stroke({ color: token('--map-halo'), width: 3 }),
    });
  }

  /** Draw the terrain, or none; the graticule stands in where there is none. */
  showTerrain(sheet: Terrain | null) {
    this.#grid.setVisible(!sheet);
    this.#terrain.show(sheet, at);
  }

  /** Draw colours anew after the light has changed. */
  relight(job: Job, plan: Plan | null, selected: number, stale: boolean) {
    this.#terrain.again(at);
    this.point(this.#pointed);
    this.show(job, plan, selected, stale);
  }

  /** Draw the job and its plan; ``stale`` pales what is not yet recomputed. */
  show(job: Job, plan: Plan | null, selected: number, stale: boolean) {
    if (this.#dragging) return;
    middle = job.areas[0]?.ring[0]?.[0] ?? job.home?.[0] ?? middle;
    this.#words.clear();
    this.#showGround(job);
    this.#showPlan(job, plan, selected, stale);
    this.#words.lay();
  }

  /** Where overlaps fall short over relief: a little, and far; none takes it away. */
  showShort(short: { near: number[][][][]; far: number[][][][] } | null, kept: number[][][][] = []) {
    const source = this.#short.getSource()!;
    source.clear();
    for (const [polygons, ink, gap, width] of [
      [short?.near ?? [], '--copper', 10, 1.2],
      [short?.far ?? [], '--madder', 6, 1.8],
      [kept, '--tarn', 8, 1.6],
    ] as const) {
      if (!polygons.length) continue;
      const f = new Feature(new MultiPolygon(polygons.map((p) => p.map((ring) => ring.map(at)))));
      f.setStyle(new Style({ fill: new Fill({ color: hatch(ink, 1, gap, width) }) }));
      source.addFeature(f);
    }
  }

  /** What was flown, over the plan; none takes it away. */
  showFlown(shown: Shown | null) {
    this.#flown.show(shown, at);
    this.#plan.setOpacity(shown ? 0.55 : 1);
  }

  /** Pictures of the ground, the lowest first; what was there before goes. */
  showPictures(pictures: Picture[]) {
    for (const layer of this.#pictures) this.map.removeLayer(layer);
    this.#pictures = pictures.map(
      (p) =>
        new TileLayer({
          zIndex: 1,
          // A canvas of its own, which the night light can darken.
          className: 'ol-layer ground-picture',
          extent: p.bounds ? transformExtent(p.bounds, 'EPSG:4326', 'EPSG:3857') : undefined,
          source: new XYZ({ url: p.url, minZoom: p.zooms[0], maxZoom: p.zooms[1], transition: 0 }),
        }),
    );
    for (const layer of this.#pictures) this.map.addLayer(layer);
  }

  /** A light edge under a line, where it lies over a picture and not on paper. */
  #casing(width: number, zIndex: number): Style[] {
    if (!this.#pictures.length) return [];
    return [new Style({ stroke: new Stroke({ color: token('--map-halo'), width: width + 3 }), zIndex: zIndex - 0.5 })];
  }

  /** What of the terrain is drawn. */
  showRelief(shade: boolean, contours: boolean) {
    this.#terrain.parts(shade, contours);
  }

  /** Mark a place that was asked for by its coordinates. */
  point(place: number[] | null) {
    this.#pointed = place;
    const source = this.#here.getSource()!;
    source.clear();
    if (!place) return;
    const f = new Feature(new Point(at(place)));
    const ring = (color: string, width: number) =>
      new Style({ image: new Circle({ radius: 13, stroke: new Stroke({ color: token(color), width }) }) });
    const cross = new Style({
      image: new RegularShape({
        points: 4,
        radius: 20,
        radius2: 0,
        stroke: new Stroke({ color: token('--madder'), width: 2.2 }),
      }),
    });
    f.setStyle([ring('--sheet', 6), ring('--madder', 2.6), cross]);
    source.addFeature(f);
  }

  /** A place to stay off while spraying: a heavy line with its name. */
  #showSensitive(s: { ring: number[][]; closed?: boolean; name?: string }, source: VectorSource) {
    const places = s.ring.map((p) => at(p as Place));
    if (!places.length) return;
    const shape =
      places.length === 1
        ? new Point(places[0]!)
        : s.closed && places.length > 2
          ? new Polygon([[...places, places[0]!]])
          : new LineString(places);
    const f = new Feature<Point | Polygon | LineString>(shape);
    f.setStyle([
      new Style({ stroke: new Stroke({ color: token('--sheet'), width: 7 }) }),
      new Style({
        stroke: new Stroke({ color: token('--tarn'), width: 3.5, lineDash: [10, 3, 2, 3] }),
        image: new Circle({ radius: 6, stroke: new Stroke({ color: token('--tarn'), width: 3 }) }),
      }),
    ]);
    const [west, south, east, north] = shape.getExtent() as [number, number, number, number];
    this.#words.say({
      at: [(west + east) / 2, (south + north) / 2],
      text: s.name || 'sensitive place',
      ink: '--tarn',
      weight: 3,
      gap: 5,
    });
    source.addFeature(f);
  }

  /** What is photographed from around: a dashed outline in ink with its name. */
  #showStructure(s: { ring: number[][]; name?: string }, source: VectorSource) {
    if (s.ring.length < 3) return;
    const f = new Feature(new Polygon([[...s.ring, s.ring[0]!].map((p) => at(p as Place))]));
    f.setStyle(new Style({ stroke: new Stroke({ color: token('--ink'), width: 2.2, lineDash: [3, 4] }) }));
    this.#words.say({ at: middleOf(f.getGeometry()!), text: s.name || 'structure', ink: '--ink', weight: 2, gap: 0 });
    source.addFeature(f);
  }

  #showGround(job: Job) {
    const source = this.#ground.getSource()!;
    source.clear();
    this.#handles.getSource()!.clear();
    this.#keeps = [];
    const ink = token('--ink');
    this.#areas = job.areas.map((a) => {
      const places = a.ring.map(at);
      const f = new Feature<Polygon | LineString>(
        a.corridor_m !== null ? new LineString(places) : new Polygon([places.length ? [...places, places[0]!] : []]),
      );
      f.setStyle(
        a.corridor_m !== null
          ? corridor(a.corridor_m, a.left_out, this.#tool === 'move')
          : [...this.#casing(2.2, 0), ground(a.left_out)],
      );
      if (places.length > 1) source.addFeature(f);
      if (job.areas.length > 1 && places.length > 1) {
        const words = a.name.length > 24 ? `${a.name.slice(0, 23)}…` : a.name || `area ${this.#areas.length + 1}`;
        const shown = a.left_out ? `${words}, left out` : words;
        // A name stands where it does not cover its area.
        const across = getWidth(f.getGeometry()!.getExtent()) / 1.4;
        this.#words.say({ at: middleOf(f.getGeometry()!), text: shown, ink: '--ink-2', weight: 1, gap: 0, inside: across });
      }
      return f;
    });
    for (const k of job.keep_outs) {
      if (k.ring.length < 3) continue;
      const f = new Feature(new Polygon([[...k.ring, k.ring[0]!].map(at)]));
      const never = k.crossing === 'never';
      const [west, south, east] = f.getGeometry()!.getExtent() as [number, number, number, number];
      f.setStyle([
        new Style({
          stroke: new Stroke({ color: token('--madder'), width: 1.8, lineDash: never ? [] : [6, 4] }),
          fill: new Fill({ color: crosses(never) }),
        }),
      ]);
      const words = never ? k.name || 'keep out' : `${k.name || 'keep-out'}, may be crossed`;
      this.#words.say({
        at: [(west + east) / 2, south],
        text: words,
        ink: '--madder',
        weight: 3,
        gap: 4,
        spare: job.keep_outs.length > 12,
        toward: [0, 1],
      });
      this.#keeps.push(f);
      source.addFeature(f);
    }
    for (const s of job.kind === 'mapping' ? (job.site?.structures ?? []) : []) this.#showStructure(s, source);
    for (const s of job.kind === 'spraying' ? (job.site?.sensitive ?? []) : []) this.#showSensitive(s, source);
    this.#home = job.home ? new Feature(new Point(at(job.home))) : null;
    if (this.#home) {
      this.#home.setStyle([
        new Style({
          image: new RegularShape({
            points: 3,
            radius: 12,
            fill: new Fill({ color: ink }),
            stroke: new Stroke({ color: token('--sheet'), width: 2 }),
          }),
        }),
      ]);
      this.#words.say({ at: at(job.home!), text: 'home', ink: '--ink', weight: 8, gap: 13, toward: [0, 1] }, 13);
      source.addFeature(this.#home);
    }
    for (const o of job.site?.obstacles ?? [])
      this.#sign(o.at, `${o.name || 'obstacle'} ${Math.round(o.top_m)} m`, '--copper', 4, Math.PI / 4);
    const datum = job.kind === 'search' && job.work.pattern !== 'parallel' ? job.site?.datum : null;
    if (datum) this.#sign(datum, 'start', '--madder', 4, 0);
    for (const f of job.site?.fallbacks ?? []) this.#sign(f.at, f.name || 'fallback', '--tarn', 3, Math.PI);
    for (const h of job.site?.homes ?? []) this.#sign(h.at, h.name || 'other home', '--ink-2', 3, 0);
    for (const c of job.site?.control ?? [])
      this.#sign(c.at, c.name || 'point', c.check ? '--tarn' : '--ink', c.check ? 24 : 3, Math.PI);
    if (this.writable && this.#tool === 'move') {
      for (const f of [...this.#areas, ...this.#keeps]) {
        const corners = cornersOf(f.getGeometry()!);
        for (const p of corners) {
          const handle = new Feature(new Point(p));
          const few = corners.length < 80;
          if (few)
            handle.setStyle(
              new Style({
                image: new RegularShape({
                  points: 4,
                  radius: 6,
                  angle: Math.PI / 4,
                  fill: new Fill({ color: token('--sheet') }),
                  stroke: new Stroke({
                    color: this.#keeps.includes(f as Feature<Polygon>) ? token('--madder') : ink,
                    width: 1.6,
                  }),
                }),
              }),
            );
          if (few) this.#handles.getSource()!.addFeature(handle);
        }
      }
    }
  }

  /** A place that stands on the ground with its name; it is moved by its numbers, not by dragging. */
  #sign(place: number[], words: string, ink: string, points: number, angle: number) {
    const f = new Feature(new Point(at(place)));
    f.setStyle([
      new Style({
        image: new RegularShape({
          points,
          angle,
          radius: 8,
          fill: new Fill({ color: token('--sheet') }),
          stroke: new Stroke({ color: token(ink), width: 2.4 }),
        }),
      }),
    ]);
    this.#words.say({ at: at(place), text: words, ink, weight: 4, gap: 9, toward: [0, 1] }, 9);
    this.#handles.getSource()!.addFeature(f);
  }

  #showPlan(job: Job, plan: Plan | null, selected: number, stale: boolean) {
    const source = this.#plan.getSource()!;
    const marks = this.#marks.getSource()!;
    source.clear();
    marks.clear();
    this.#plan.setOpacity(stale ? 0.45 : 1);
    const middle = this.#areas.length === 1 ? getCenter(this.#areas[0]!.getGeometry()!.getExtent()) : null;
    if (plan && job.home) this.#coldRings(job.home, plan.cold_rings ?? []);
    for (const s of plan?.sorties ?? []) {
      const look = lookOf(s.number);
      const chosen = s.number === selected;
      const color = token(look.token);
      const lines = new Feature(new MultiLineString(s.worked.map((w) => w.map(at))));
      lines.set('sortie', s.number);
      const width = look.width + (chosen ? 1 : 0);
      lines.setStyle([
        ...this.#casing(width, chosen ? 2 : 1),
        new Style({ stroke: new Stroke({ color, width, lineDash: look.dash, lineCap: 'butt' }), zIndex: chosen ? 2 : 1 }),
      ]);
      source.addFeature(lines);
      if (chosen) {
        const path = s.path.map(at);
        const way = new Feature(new LineString(path));
        way.setStyle([
          new Style({ stroke: new Stroke({ color: token('--sheet'), width: 4 }), zIndex: 0 }),
          new Style({
            stroke: new Stroke({ color: token('--ink'), width: 1.5, lineDash: [7, 5] }),
            zIndex: 0,
          }),
        ]);
        source.addFeature(way);
        const turn = new Feature(new Point(at(s.turn_back_at)));
        turn.setStyle([
          new Style({
            image: new Circle({
              radius: 8,
              fill: new Fill({ color: token('--sheet') }),
              stroke: new Stroke({ color: token('--madder'), width: 2.4 }),
            }),
          }),
          new Style({ image: new Circle({ radius: 3, fill: new Fill({ color: token('--madder') }) }) }),
        ]);
        this.#words.say({ at: at(s.turn_back_at), text: 'last turn-back', ink: '--madder', weight: 9, gap: 10 }, 9);
        marks.addFeature(turn);
      }
      const entry = new Feature(new Point(at(s.entry)));
      entry.set('sortie', s.number);
      entry.setStyle([
        new Style({
          image: new Circle({
            radius: 4.5,
            fill: new Fill({ color: token('--sheet') }),
            stroke: new Stroke({ color, width: 2 }),
          }),
          zIndex: 3,
        }),
      ]);
      this.#words.say(
        {
          at: at(s.entry),
          text: `${job.letter}${s.number}`,
          ink: '--sheet',
          badge: look.token,
          chosen,
          weight: chosen ? 7 : 5,
          gap: 6,
          toward: outward(at(s.entry), middle),
        },
        5,
      );
      marks.addFeature(entry);
    }
  }

  /** How far out a cold pack may be as its charge falls. */
  #coldRings(home: number[], rings: [number, number][]) {
    for (const [charge, metres] of rings) {
      if (metres < 5) continue;
      const around = circular([turned(home[0]!, 0), home[1]!], metres, 72).transform('EPSG:4326', 'EPSG:3857') as Polygon;
      const color = token('--copper');
      const f = new Feature(around);
      f.setStyle([
        new Style({ stroke: new Stroke({ color: token('--sheet'), width: 4 }) }),
        new Style({ stroke: new Stroke({ color, width: 1.6, lineDash: [3, 5] }) }),
      ]);
      this.#plan.getSource()!.addFeature(f);
      const top = around.getCoordinates()[0]!.reduce((a, b) => (b[1]! > a[1]! ? b : a));
      const text = `cold: within ${Math.round(metres)} m at ${Math.round(charge * 100)} %`;
      this.#words.say({ at: top, text, ink: '--copper', weight: 3, gap: 6, toward: [0, 1] }, 6);
    }
  }

  /** Take up a tool. */
  use(tool: Tool) {
    this.#tool = tool;
    this.#tools.forEach((t) => this.map.removeInteraction(t));
    this.#tools = [];
    this.map.getTargetElement()?.style.setProperty('cursor', tool === 'move' ? '' : 'crosshair');
    if (!this.writable) return;
    if (tool === 'move') {
      const modify = new Modify({
        source: this.#ground.getSource()!,
        pixelTolerance: 12,
        deleteCondition: (e) => singleClick(e) && (e.originalEvent as PointerEvent).altKey,
      });
      modify.on('modifystart', () => (this.#dragging = true));
      modify.on('modifyend', (e) => {
        this.#dragging = false;
        const touched = e.features.getArray() as Feature[];
        if (this.#home && touched.includes(this.#home)) this.#edits.home(back(this.#home.getGeometry()!.getCoordinates()));
        else if (this.#areas.some((f) => touched.includes(f)))
          this.#edits.areas(this.#areas.map((f) => ringOf(f.getGeometry()!)));
        else this.#edits.keepOuts(this.#keeps.map((k) => ringOf(k.getGeometry()!)));
      });
      this.#tools = [modify];
    } else if (tool !== 'home' && tool !== 'stopped') {
      const draw = new Draw({
        type: tool === 'corridor' || tool === 'sensitive-line' ? 'LineString' : 'Polygon',
        stopClick: true,
        style: new Style({
          stroke: new Stroke({ color: token('--ink'), width: 2, lineDash: [6, 4] }),
          fill: new Fill({ color: token('--draw-fill') }),
          image: new Circle({ radius: 5, fill: new Fill({ color: token('--ink') }) }),
        }),
      });
      const closed = tool !== 'corridor' && tool !== 'sensitive-line';
      draw.on('drawstart', (e) => {
        const drawn = e.feature.getGeometry() as Polygon | LineString;
        drawn.on('change', () => {
          const places = drawn instanceof LineString ? drawn.getCoordinates() : drawn.getCoordinates()[0]!.slice(0, -1);
          this.#edits.drawing(
            measure(
              places.map((p) => toLonLat(p)),
              closed,
            ),
          );
        });
      });
      draw.on('drawabort', () => this.#edits.drawing(null));
      draw.on('drawend', (e) => {
        this.#edits.drawing(null);
        const ring = ringOf(e.feature.getGeometry() as Polygon | LineString);
        if (tool === 'keep-out') this.#edits.addKeepOut(ring);
        else if (tool === 'structure') this.#edits.addStructure(ring);
        else if (tool === 'sensitive-line' || tool === 'sensitive-outline') this.#edits.addSensitive(ring, closed);
        else this.#edits.addArea(ring, tool === 'corridor');
      });
      this.#tools = [draw, new Snap({ source: this.#ground.getSource()! })];
    }
    this.#tools.forEach((t) => this.map.addInteraction(t));
  }

  /** Set the next corner of what is being drawn at a place; begins an area where nothing is. */
  corner(place: number[]): void {
    let draw = this.#tools.find((t): t is Draw => t instanceof Draw);
    if (!draw) {
      this.use('outline');
      draw = this.#tools.find((t): t is Draw => t instanceof Draw)!;
    }
    draw.appendCoordinates([at(place)]);
  }

  /** Close what is being drawn; true if it has enough corners. */
  close(): boolean {
    const draw = this.#tools.find((t): t is Draw => t instanceof Draw);
    return !!draw?.finishDrawing();
  }

  /** Remove the last corner while drawing; true if one was being drawn. */
  stepBack(): boolean {
    const draw = this.#tools.find((t): t is Draw => t instanceof Draw);
    if (!draw) return false;
    draw.removeLastPoint();
    return true;
  }

  /** Copy what is drawn onto another canvas: the map's own are emptied when the page is laid out for print. */
  copyTo(target: HTMLCanvasElement) {
    const [width, height] = this.map.getSize() ?? [0, 0];
    const ratio = Math.min(2, window.devicePixelRatio);
    target.width = width! * ratio;
    target.height = height! * ratio;
    const c = target.getContext('2d');
    for (const layer of this.map.getViewport()?.querySelectorAll<HTMLCanvasElement>('.ol-layer canvas') ?? []) {
      const told = (layer.style.transform.match(/^matrix\(([^(]*)\)$/)?.[1] ?? '').split(',');
      const [a, b, cc, d, e, f] = told.length === 6 ? told.map((v) => Number(v) * ratio) : [1, 0, 0, 1, 0, 0];
      c?.setTransform(a!, b!, cc!, d!, e!, f!);
      if (c) c.globalAlpha = Number(layer.parentElement?.style.opacity || layer.style.opacity || 1);
      c?.drawImage(layer, 0, 0);
    }
  }

  zoom(by: number) {
    this.#whole = null;
    const view = this.map.getView();
    view.animate({ zoom: (view.getZoom() ?? 14) + by, duration: 160 });
  }

  /** Bring the whole job into view, or the terrain if there is none. */
  fit(job: Job, bounds: number[] | null, animate = true) {
    const all = createEmpty();
    middle = job.areas[0]?.ring[0]?.[0] ?? job.home?.[0] ?? middle;
    const places = [...job.areas.flatMap((a) => a.ring), ...(job.home ? [job.home] : [])];
    for (const p of places) extend(all, [...at(p), ...at(p)]);
    if (isEmpty(all) && bounds) extend(all, transformExtent(bounds, 'EPSG:4326', 'EPSG:3857'));
    if (isEmpty(all)) return;
    if (getWidth(all) + getHeight(all) < 1) {
      this.map.getView().setCenter(getCenter(all));
      return;
    }
    this.#whole = all;
    this.#show(animate);
  }

  /** Bring a box of degrees (west, south, east, north) into view. */
  bring(bounds: number[]) {
    this.#whole = transformExtent(bounds, 'EPSG:4326', 'EPSG:3857');
    this.#show(true);
  }

  /** Bring one place into view. */
  look(place: number[]) {
    this.#whole = null;
    const view = this.map.getView();
    view.animate({ center: at(place), zoom: Math.max(view.getZoom() ?? 16, 17), duration: 200 });
  }

  #show(animate: boolean) {
    const [width, height] = (this.map.getSize() ?? [900, 500]) as [number, number];
    const { right, bottom, top, left } = this.room;
    const within = (t: number, l: number) => [
      Math.min(t, height / 3),
      Math.min(right, width / 4),
      Math.min(bottom, height / 3),
      Math.min(l, width / 2),
    ];
    const scale = ([t, r, b, l]: number[]) =>
      Math.max(getWidth(this.#whole!) / (width - r! - l!), getHeight(this.#whole!) / (height - t! - b!));
    // Below the title or beside it, where the job is shown larger.
    const below = within(Math.max(top, this.title.height + 14), left);
    const beside = within(top, Math.max(left, this.title.width + 20));
    this.map.getView().fit(this.#whole!, {
      padding: scale(below) <= scale(beside) ? below : beside,
      maxZoom: 18,
      duration: animate ? 200 : 0,
    });
  }

  resolution(): number {
    const view = this.map.getView();
    const lat = toLonLat(view.getCenter() ?? [0, 0])[1]!;
    return (view.getResolution() ?? 1) * Math.cos((lat * Math.PI) / 180);
  }
}
