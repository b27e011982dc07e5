/** What was flown, on the map of a job: strips up to a moment, what lies over one another, gaps with their numbers. */
import Feature from 'ol/Feature';
import { MultiPolygon, Polygon } from 'ol/geom';
import VectorLayer from 'ol/layer/Vector';
import VectorSource from 'ol/source/Vector';
import { Fill, Stroke, Style, Text } from 'ol/style';
import { token } from '$shared/ui/token';
import { FONT, hatch } from '../map/styles';
import type { AsFlown } from './flown.svelte';

type Project = (place: number[]) => number[];
export interface Shown {
  view: AsFlown;
  /** Seconds from the first take-off. */
  until: number;
  chosen: readonly number[];
  looked: number | null;
}

export class FlownLayer {
  layer = new VectorLayer({ source: new VectorSource(), zIndex: 5 });
  #view: AsFlown | null = null;
  #light = '';
  #styles: Record<string, Style> = {};

  show(shown: Shown | null, at: Project) {
    const source = this.layer.getSource()!;
    const light = document.documentElement.dataset.light ?? '';
    if (!shown) {
      this.#view = null;
      source.clear();
      return;
    }
    if (light !== this.#light || !this.#styles.strip) this.#paint();
    this.#light = light;
    if (this.#view !== shown.view) this.#draw(shown.view, at);
    this.#view = shown.view;
    for (const f of source.getFeatures()) f.setStyle(this.#styleOf(f, shown));
  }

  #paint() {
    const edge = (ink: string, width: number, dash?: number[]) => new Stroke({ color: token(ink), width, lineDash: dash });
    this.#styles = {
      strip: new Style({ fill: new Fill({ color: token('--flown') }), stroke: edge('--tarn', 0.6) }),
      // Pictures lie over one another by plan: edges would hide the ground.
      seen: new Style({ fill: new Fill({ color: token('--flown') }) }),
      estimated: new Style({ fill: new Fill({ color: token('--flown') }), stroke: edge('--ink-2', 1, [2, 4]) }),
      twice: new Style({ fill: new Fill({ color: hatch('--ink-2', 1, 7, 0.9) }) }),
      gap: new Style({
        fill: new Fill({ color: hatch('--madder', -1, 8, 2) }),
        stroke: edge('--madder', 1.4, [5, 3]),
        zIndex: 3,
      }),
      chosen: new Style({ fill: new Fill({ color: hatch('--madder', -1, 8, 2.6) }), stroke: edge('--madder', 2.6), zIndex: 4 }),
    };
  }

  #draw(view: AsFlown, at: Project) {
    const source = this.layer.getSource()!;
    source.clear();
    const rings = (polygon: number[][][]) => polygon.map((ring) => ring.map(at));
    const made = [
      ...view.strips.map((s) => {
        const f = new Feature(new MultiPolygon(s.ground.map((p) => rings(p as number[][][]))));
        f.setProperties({ what: 'strip', from: s.from_s, estimated: s.estimated });
        return f;
      }),
      ...(view.twice.length
        ? [new Feature({ geometry: new MultiPolygon(view.twice.map((p) => rings(p as number[][][]))), what: 'twice' })]
        : []),
      ...view.gaps.map(
        (g) => new Feature({ geometry: new Polygon(rings(g.ground as number[][][])), what: 'gap', gap: g.number }),
      ),
    ];
    source.addFeatures(made);
  }

  #styleOf(f: Feature, shown: Shown): Style[] {
    const whole = shown.until >= shown.view.length_s;
    const what = f.get('what') as string;
    if (what === 'strip') {
      if ((f.get('from') as number) > shown.until) return [];
      return [this.#styles[f.get('estimated') ? 'estimated' : shown.view.kind === 'mapping' ? 'seen' : 'strip']!];
    }
    // What is left open, and what was covered twice, is known at the end.
    if (!whole) return [];
    if (what === 'twice') return [this.#styles.twice!];
    const number = f.get('gap') as number;
    const chosen = shown.chosen.includes(number);
    const text = new Style({
      text: new Text({
        text: String(number),
        font: `650 13px ${FONT}`,
        fill: new Fill({ color: token('--madder') }),
        stroke: new Stroke({ color: token('--map-halo'), width: 4 }),
        overflow: true,
      }),
      zIndex: 6,
    });
    const ring = new Style({ stroke: new Stroke({ color: token('--ink'), width: 3 }), zIndex: 5 });
    return [this.#styles[chosen ? 'chosen' : 'gap']!, ...(shown.looked === number ? [ring] : []), text];
  }
}
