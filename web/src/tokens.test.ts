import { describe, expect, it } from 'vitest';
// Vite hands the stylesheet over as text.
import css from './tokens.css?raw';

type Tokens = Record<string, string>;

function block(selector: string): Tokens {
  const start = css.indexOf(`${selector} {`);
  const body = css.slice(css.indexOf('{', start) + 1, css.indexOf('}', start));
  return Object.fromEntries([...body.matchAll(/(--[\w-]+):\s*([^;]+);/g)].map((m) => [m[1]!, m[2]!.trim()]));
}

const day = block(':root');
const LIGHTS: Record<string, Tokens> = {
  day,
  sun: { ...day, ...block(":root[data-light='sun']") },
  night: { ...day, ...block(":root[data-light='night']") },
};

function channels(hex: string): [number, number, number] {
  const n = parseInt(hex.slice(1), 16);
  return [(n >> 16) & 255, (n >> 8) & 255, n & 255];
}

/** Relative luminance and contrast ratio as WCAG 2.2 defines them. */
function luminance(hex: string): number {
  const [r, g, b] = channels(hex).map((c) => {
    const s = c / 255;
    return s <= 0.04045 ? s / 12.92 : ((s + 0.055) / 1.055) ** 2.4;
  }) as [number, number, number];
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
}

function contrast(a: string, b: string): number {
  const [high, low] = [luminance(a), luminance(b)].sort((x, y) => y - x) as [number, number];
  return (high + 0.05) / (low + 0.05);
}

const SHEETS = ['--paper', '--sheet', '--field'];
const ACCENTS = ['--lichen', '--copper', '--heather', '--tarn', '--madder'];
const WASHES = ['--wash-lichen', '--wash-copper', '--wash-heather', '--wash-tarn', '--wash-madder'];
/** Least contrast of ink, second ink and accents, as the look asks for. */
const LEAST = { day: [12.5, 6.5, 4.7], sun: [15, 7, 7], night: [4.5, 4.5, 4.5] } as const;

describe.each(Object.keys(LIGHTS) as (keyof typeof LEAST)[])('the light %s', (light) => {
  const tokens = LIGHTS[light]!;
  const [ink, second, accent] = LEAST[light];

  it('holds its contrast on every sheet', () => {
    for (const sheet of SHEETS) {
      expect(contrast(tokens['--ink']!, tokens[sheet]!), `ink on ${sheet}`).toBeGreaterThanOrEqual(ink);
      expect(contrast(tokens['--ink-2']!, tokens[sheet]!), `second ink on ${sheet}`).toBeGreaterThanOrEqual(second);
      for (const name of ACCENTS) {
        expect(contrast(tokens[name]!, tokens[sheet]!), `${name} on ${sheet}`).toBeGreaterThanOrEqual(accent);
      }
    }
  });

  it('can be read on its washes and on its ink', () => {
    for (const wash of WASHES) {
      expect(contrast(tokens['--ink']!, tokens[wash]!), `ink on ${wash}`).toBeGreaterThanOrEqual(4.5);
      const own = wash.replace('wash-', '');
      expect(contrast(tokens[own]!, tokens[wash]!), `${own} on ${wash}`).toBeGreaterThanOrEqual(light === 'sun' ? 4.5 : 4);
    }
    expect(contrast(tokens['--sheet']!, tokens['--ink']!)).toBeGreaterThanOrEqual(4.5);
  });

  it('marks the edge of a field', () => {
    expect(contrast(tokens['--field-rule']!, tokens['--field']!)).toBeGreaterThanOrEqual(light === 'night' ? 2.2 : 3);
  });
});

describe('night', () => {
  it('gives off no green or blue: red leads every colour', () => {
    for (const [name, value] of Object.entries(LIGHTS.night!)) {
      if (!value.startsWith('#')) continue;
      const [r, g, b] = channels(value);
      expect(g, name).toBeLessThanOrEqual(Math.max(8, r * 0.5));
      expect(b, name).toBeLessThanOrEqual(Math.max(8, r * 0.45));
    }
  });

  it('is its own for every colour of the day', () => {
    const own = block(":root[data-light='night']");
    const colours = Object.keys(day).filter((k) => day[k]!.startsWith('#'));
    expect(colours.filter((k) => !(k in own))).toEqual([]);
  });
});

describe('gloves', () => {
  it('make targets of 56 px, the desk of 36', () => {
    expect(day['--target']).toBe('36px');
    expect(block(":root[data-gloves='true']")['--target']).toBe('56px');
  });
});
