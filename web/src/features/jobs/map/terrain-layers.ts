/** The ground under a job: light and shade as a picture, contours over it, their numbers where there is room. */
import Feature from 'ol/Feature';
import { MultiLineString } from 'ol/geom';
import ImageLayer from 'ol/layer/Image';
import VectorLayer from 'ol/layer/Vector';
import VectorImageLayer from 'ol/layer/VectorImage';
import { transformExtent } from 'ol/proj';
import ImageStatic from 'ol/source/ImageStatic';
import VectorSource from 'ol/source/Vector';
import { Stroke, Style } from 'ol/style';
import type { Schemas } from '$shared/api/client';
import { token } from '$shared/ui/token';
import { placesOf } from '../state/places';
import { numbered } from './styles';

export type Terrain = Schemas['TerrainOut'];
type Project = (place: number[]) => number[];

export class TerrainLayers {
  #shade = new ImageLayer<ImageStatic>({ zIndex: 0 });
  // Drawn once and then moved as a picture; their numbers apart, so that they give way to other words.
  #contours = new VectorImageLayer({ source: new VectorSource(), zIndex: 2, imageRatio: 2 });
  #heights = new VectorLayer({ source: new VectorSource(), zIndex: 2, declutter: true });
  #sheet: Terrain | null = null;
  layers = [this.#shade, this.#contours, this.#heights];

  /** Which parts are drawn. */
  parts(shade: boolean, contours: boolean) {
    this.#shade.setVisible(shade);
    this.#contours.setVisible(contours);
    this.#heights.setVisible(contours);
  }

  /** Draw the same anew, in other colours. */
  again(at: Project) {
    this.show(this.#sheet, at);
  }

  /** Draw a terrain, or none; `at` puts a place in degrees onto the map. */
  show(sheet: Terrain | null, at: Project) {
    this.#sheet = sheet;
    const source = this.#contours.getSource()!;
    source.clear();
    this.#heights.getSource()!.clear();
    if (!sheet) {
      this.#shade.setSource(null);
      return;
    }
    const canvas = document.createElement('canvas');
    canvas.width = sheet.columns;
    canvas.height = sheet.rows;
    const ink = token('--shade-dark').split(',').map(Number);
    const light = token('--shade-light').split(',').map(Number);
    const context = canvas.getContext('2d')!;
    const image = context.createImageData(sheet.columns, sheet.rows);
    const bytes = Uint8Array.from(atob(sheet.shade), (c) => c.charCodeAt(0));
    bytes.forEach((b, k) => {
      const share = Math.min(1, Math.max(0, (b - 96) / 122));
      for (let c = 0; c < 3; c++) image.data[4 * k + c] = ink[c]! + (light[c]! - ink[c]!) * share ** 0.55;
      image.data[4 * k + 3] = 255;
    });
    context.putImageData(image, 0, 0);
    const [w, south, e, n] = sheet.bounds as [number, number, number, number];
    const dx = (e - w) / (sheet.columns - 1) / 2;
    const dy = (n - south) / (sheet.rows - 1) / 2;
    this.#shade.setSource(
      new ImageStatic({
        url: canvas.toDataURL(),
        imageExtent: transformExtent([w - dx, south - dy, e + dx, n + dy], 'EPSG:4326', 'EPSG:3857'),
        interpolate: true,
      }),
    );
    source.addFeatures(
      sheet.contours.map((c) => {
        const bold = Math.round(c.height_m) % 25 === 0;
        const f = new Feature(new MultiLineString(c.lines.map((l) => placesOf(l, w, south, sheet.quantum_deg).map(at))));
        f.setStyle(
          new Style({ stroke: new Stroke({ color: token(bold ? '--contour-bold' : '--contour'), width: bold ? 1.3 : 0.6 }) }),
        );
        if (bold) this.#heights.getSource()!.addFeature(numbered(f.getGeometry()!, String(c.height_m)));
        return f;
      }),
    );
  }
}
