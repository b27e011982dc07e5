import { describe, expect, it } from 'vitest';

const files = import.meta.glob('./**/*.{svelte,ts,css}', { query: '?raw', import: 'default', eager: true }) as Record<
  string,
  string
>;

describe('colours and sizes', () => {
  it('stand in one file', () => {
    expect(files['./app.css']!.length).toBeGreaterThan(1000);
    const found: string[] = [];
    for (const [path, text] of Object.entries(files)) {
      if (path.endsWith('.test.ts') || path === './tokens.css' || path.includes('schema.d.ts')) continue;
      for (const m of text.matchAll(/#[0-9a-f]{6}\b|#[0-9a-f]{3}\b(?=[;'"\s)])|\brgba?\(/gi)) {
        const line = text.slice(text.lastIndexOf('\n', m.index) + 1, text.indexOf('\n', m.index));
        if (!/\{#|\/#|private|href="#/.test(line)) found.push(`${path}: ${m[0]}`);
      }
    }
    expect(found).toEqual([]);
  });
});
