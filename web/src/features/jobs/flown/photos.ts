/** Photos read in the browser: where and when each was taken, by what its EXIF and XMP say. Only figures leave the device. */
import type { Schemas } from '$shared/api/client';

export type Columns = Omit<Schemas['PhotosIn'], 'name'>;
type Row = Record<NumberColumn, number | null> & { name: string; utc: boolean; size: [number, number] | null };
type NumberColumn =
  | 'at'
  | 'lon'
  | 'lat'
  | 'altitude_m'
  | 'relative_m'
  | 'heading_deg'
  | 'pitch_deg'
  | 'roll_deg'
  | 'exposure_s'
  | 'iso'
  | 'f_number';
/** What stands before the picture itself: EXIF and XMP lie in it. */
const HEAD_BYTES = 131_072;
const AT_ONCE = 8;
const PHOTO = /\.(jpe?g|tiff?|dng|png|heic|webp|avif)$/i;

type Tag = { value?: unknown; description?: string | number };
type Tags = Record<string, Tag | undefined>;
export interface Read {
  exif?: Tags;
  gps?: { Latitude?: number; Longitude?: number; Altitude?: number };
  xmp?: Tags;
  file?: Tags;
}

export const isPhoto = (name: string): boolean => PHOTO.test(name) && !/(^|\/)\./.test(name);

function numberOf(tag: Tag | undefined): number | null {
  const value = tag?.value;
  if (Array.isArray(value) && value.length === 2 && typeof value[0] === 'number') return value[1] ? value[0] / value[1] : null;
  for (const one of [value, Array.isArray(value) ? value[0] : null, tag?.description]) {
    const n = typeof one === 'string' ? Number(one.trim().replace(/^\+/, '').split(/\s/)[0]) : one;
    if (typeof n === 'number' && Number.isFinite(n)) return n;
  }
  return null;
}

const textOf = (tag: Tag | undefined): string => {
  const value = tag?.value;
  return String(Array.isArray(value) ? (value[0] ?? '') : (value ?? tag?.description ?? '')).trim();
};

/** Seconds since 1970 of “2031:05:06 09:41:02” and the like, as if it were UTC; null where it says no time. */
export function secondsOf(text: string): number | null {
  const found = /^(\d{4})[:\-/.](\d\d)[:\-/.](\d\d)[ T](\d\d):(\d\d):(\d\d(?:\.\d+)?)/.exec(text);
  if (!found) return null;
  const [y, mo, d, h, mi, s] = found.slice(1).map(Number) as [number, number, number, number, number, number];
  const at = Date.UTC(y, mo - 1, d, h, mi, 0) / 1000 + s;
  return y > 1970 && mo >= 1 && mo <= 12 && d >= 1 && d <= 31 ? at : null;
}

function offsetOf(text: string): number | null {
  const found = /^([+-])(\d\d):?(\d\d)$/.exec(text.trim());
  if (!found) return text.trim() === 'Z' ? 0 : null;
  return (found[1] === '-' ? -1 : 1) * (Number(found[2]) * 3600 + Number(found[3]) * 60);
}

function gpsTime(exif: Tags): number | null {
  const stamp = exif.GPSTimeStamp?.value;
  const date = textOf(exif.GPSDateStamp);
  if (!Array.isArray(stamp) || stamp.length !== 3 || !date) return null;
  const [h, m, s] = stamp.map((v) => (Array.isArray(v) ? (v[1] ? v[0] / v[1] : NaN) : Number(v))) as [number, number, number];
  const day = secondsOf(`${date.replaceAll('-', ':')} 00:00:00`);
  return day === null || ![h, m, s].every(Number.isFinite) ? null : day + h * 3600 + m * 60 + s;
}

/** The tag of XMP whose name says a thing; a camera's own before an aircraft's. */
function named(xmp: Tags, what: RegExp): number | null {
  const names = Object.keys(xmp).filter((name) => what.test(name));
  names.sort((a, b) => Number(/gimbal|camera/i.test(b)) - Number(/gimbal|camera/i.test(a)));
  for (const name of names) {
    const value = numberOf(xmp[name]);
    if (value !== null) return value;
  }
  return null;
}

/** What one photo says of itself. */
export function rowOf(name: string, read: Read): Row {
  const exif = read.exif ?? {};
  const xmp = read.xmp ?? {};
  const taken = secondsOf(textOf(exif.DateTimeOriginal) || textOf(exif.DateTimeDigitized) || textOf(exif.DateTime));
  const fraction = Number(`0.${textOf(exif.SubSecTimeOriginal).replace(/\D/g, '') || '0'}`);
  const local = taken === null ? null : taken + (taken % 1 ? 0 : fraction);
  const zone = offsetOf(textOf(exif.OffsetTimeOriginal) || textOf(exif.OffsetTime));
  const utc = local !== null && zone !== null ? local - zone : gpsTime(exif);
  const wide = numberOf(exif.PixelXDimension) ?? numberOf(read.file?.['Image Width']);
  const high = numberOf(exif.PixelYDimension) ?? numberOf(read.file?.['Image Height']);
  return {
    name,
    at: utc ?? local,
    utc: utc !== null,
    lon: read.gps?.Longitude ?? null,
    lat: read.gps?.Latitude ?? null,
    altitude_m: read.gps?.Altitude ?? null,
    relative_m: named(xmp, /relative.*(alt|height)|height.*(above|rel)/i),
    heading_deg: named(xmp, /yaw|heading/i) ?? numberOf(exif.GPSImgDirection),
    pitch_deg: named(xmp, /(gimbal|camera).*pitch|^pitch/i),
    roll_deg: named(xmp, /(gimbal|camera).*roll|^roll/i),
    exposure_s: numberOf(exif.ExposureTime),
    iso: numberOf(exif.ISOSpeedRatings) ?? numberOf(exif.PhotographicSensitivity),
    f_number: numberOf(exif.FNumber),
    size: wide && high ? [wide, high] : null,
  };
}

/** Photos as columns; a column of which nothing is known stays empty. A clock is UTC where all photos say so. */
export function columnsOf(rows: Row[]): Columns {
  const timed = rows.filter((r) => r.at !== null);
  const sizes = rows.map((r) => r.size).filter((s) => s !== null);
  const column = (name: NumberColumn) => rows.map((r) => r[name]);
  const known = (name: NumberColumn) => (rows.some((r) => r[name] !== null) ? column(name) : []);
  return {
    names: rows.map((r) => r.name.slice(-200)),
    at: column('at'),
    lon: column('lon'),
    lat: column('lat'),
    altitude_m: known('altitude_m'),
    relative_m: known('relative_m'),
    heading_deg: known('heading_deg'),
    pitch_deg: known('pitch_deg'),
    roll_deg: known('roll_deg'),
    exposure_s: known('exposure_s'),
    iso: known('iso'),
    f_number: known('f_number'),
    clock: timed.length && timed.every((r) => r.utc) ? 'utc' : 'local',
    width_px: sizes[0]?.[0] ?? null,
    height_px: sizes[0]?.[1] ?? null,
  };
}

export interface Progress {
  done: number;
  total: number;
}

/** Read photos a few at a time; those that cannot be read are named. */
export async function readPhotos(
  files: File[],
  progress: (p: Progress) => void,
  stopped: AbortSignal,
): Promise<{ columns: Columns; unread: string[] }> {
  const { load } = await import('exifreader');
  const photos = files.filter((f) => isPhoto(f.name));
  const rows: (Row | null)[] = Array.from({ length: photos.length }, () => null);
  const unread: string[] = [];
  let next = 0;
  let done = 0;
  async function work() {
    while (next < photos.length && !stopped.aborted) {
      const mine = next++;
      const file = photos[mine]!;
      try {
        const head = await file.slice(0, HEAD_BYTES).arrayBuffer();
        rows[mine] = rowOf(file.name, load(head, { expanded: true }) as Read);
      } catch {
        unread.push(file.name);
      }
      done += 1;
      if (done % 20 === 0 || done === photos.length) progress({ done, total: photos.length });
    }
  }
  await Promise.all(Array.from({ length: AT_ONCE }, work));
  return { columns: columnsOf(rows.filter((r) => r !== null)), unread };
}
