/** The words of a map on a layer of their own: none over another, at every scale. */
import Feature from 'ol/Feature';
import { Point } from 'ol/geom';
import VectorLayer from 'ol/layer/Vector';
import VectorSource from 'ol/source/Vector';
import { Fill, Stroke, Style, Text } from 'ol/style';
import { token } from '$shared/ui/token';
import { settle, type Box, type Label, type Spot } from './labels';
import { FONT } from './styles';

const WORDS_FONT = `650 12.5px ${FONT}`;

/** Words on the map before their spot is found. */
export interface Words {
  at: number[];
  text: string;
  ink: string;
  weight: number;
  gap: number;
  /** On a ground of its own colour, as the names of sorties are. */
  badge?: string;
  chosen?: boolean;
  spare?: boolean;
  toward?: [number, number];
  /** It stands inside something so wide, in metres of the map, or not at all. */
  inside?: number;
}

export class WordsLayer {
  layer = new VectorLayer({ source: new VectorSource(), zIndex: 8, declutter: true });
  #words: Words[] = [];
  #signs: { at: number[]; radius: number }[] = [];
  #settled = new Map<number, Spot[]>();

  /** Forget all words, before they are said anew. */
  clear() {
    this.#words = [];
    this.#signs = [];
  }

  /** Say something at a place; `sign` is how far the sign reaches that stands there and is not to be covered. [px] */
  say(words: Words, sign = 0) {
    this.#words.push(words);
    if (sign) this.#signs.push({ at: words.at, radius: sign });
  }

  /** Words at their spots: found anew for each scale, from the place of all of them. */
  lay() {
    this.#settled.clear();
    const source = this.layer.getSource()!;
    source.clear();
    source.addFeatures(
      this.#words.map((w, nth) => {
        const f = new Feature(new Point(w.at));
        f.setStyle((_, resolution) => {
          const spot = this.#spots(resolution)[nth];
          return spot ? worded(w, spot) : undefined;
        });
        return f;
      }),
    );
  }

  #spots(resolution: number): Spot[] {
    const key = Math.round(Math.log2(resolution) * 50);
    const known = this.#settled.get(key);
    if (known) return known;
    const labels: Label[] = this.#words.map((w) => {
      const wide = widthOf(w.text) + 12;
      const fits = w.inside === undefined || w.inside / resolution > wide;
      return {
        x: w.at[0]! / resolution,
        y: -w.at[1]! / resolution,
        width: fits ? wide : 1e7,
        height: 21,
        gap: w.gap,
        weight: w.weight,
        spare: w.spare,
        toward: w.toward,
        on: w.inside !== undefined,
      };
    });
    const signs: Box[] = this.#signs.map(({ at: [x, y], radius: r }) => ({
      left: x! / resolution - r,
      right: x! / resolution + r,
      top: -y! / resolution - r,
      bottom: -y! / resolution + r,
    }));
    const fit = labels.map((l) => l.width < 1e7);
    const spots = settle(
      labels.filter((_, k) => fit[k]),
      signs,
    );
    let next = 0;
    const all = fit.map((f) => (f ? spots[next++]! : null));
    this.#settled.set(key, all);
    return all;
  }
}

let ruler: CanvasRenderingContext2D | null = null;
function widthOf(text: string): number {
  ruler ??= document.createElement('canvas').getContext('2d');
  if (!ruler) return 8 * text.length;
  ruler.font = WORDS_FONT;
  return ruler.measureText(text).width;
}

function worded(w: Words, [dx, dy]: [number, number]): Style {
  return new Style({
    zIndex: w.weight,
    text: new Text({
      text: w.text,
      font: WORDS_FONT,
      fill: new Fill({ color: token(w.ink) }),
      backgroundFill: new Fill({ color: token(w.badge ?? '--map-halo') }),
      backgroundStroke: w.badge ? new Stroke({ color: token('--sheet'), width: w.chosen ? 2.5 : 1 }) : undefined,
      padding: [4, 5, 3, 6],
      offsetX: dx,
      offsetY: dy,
      // Found their spots already; numbers of contours give way to them.
      declutterMode: 'obstacle',
    }),
  });
}

/** A label rather stands away from the middle of the area, where there is room. */
export function outward(place: number[], middle: number[] | null): [number, number] {
  if (!middle) return [0, -1];
  const [dx, dy] = [place[0]! - middle[0]!, middle[1]! - place[1]!];
  const far = Math.hypot(dx, dy) || 1;
  return [dx / far, dy / far];
}
