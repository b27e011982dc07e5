import { fireEvent, render, screen } from '@testing-library/svelte';
import { createRawSnippet } from 'svelte';
import { describe, expect, it, vi } from 'vitest';
import Chart from './Chart.svelte';
import { between, frame, heightAt, span, through } from './frame';

const f = frame(300, 100, [0, 10], [0, 1], { left: 40, right: 10, top: 5, bottom: 20 });

describe('the ground of drawings', () => {
  it('puts the ends of both scales on the edges of the sheet, upwards for more', () => {
    expect([f.x(0), f.x(10), f.y(0), f.y(1)]).toEqual([40, 290, 80, 5]);
    expect([f.left, f.right, f.top, f.floor]).toEqual([40, 290, 5, 80]);
    expect(frame(20, 100, [0, 1], [0, 1], { left: 40 }).right).toBeGreaterThan(40);
  });
  it('leaves room beside the values, also where there is one or none', () => {
    expect(span([2, 12], 0.1, 0.2)).toEqual([1, 14]);
    expect(span([5], 0.5)).toEqual([4.5, 5.5]);
    expect(span([])).toEqual([0, 1]);
  });
  it('draws through points, and fills between edges no farther than the sheet', () => {
    expect(
      through(f, [
        [0, 0],
        [10, 1],
      ]),
    ).toBe('M40,80L290,5');
    const filled = between(f, [
      [0, -3, 0.5],
      [10, 0, 9],
    ]);
    const heights = [...filled.matchAll(/,(-?[\d.]+)/g)].map((m) => Number(m[1]));
    expect(Math.min(...heights)).toBe(5);
    expect(Math.max(...heights)).toBe(80);
  });
  it('finds the height of a drawn line between its points and at its ends', () => {
    const line = [
      [0, 1],
      [10, 3],
    ];
    expect([heightAt(line, 5), heightAt(line, 0), heightAt(line, -4), heightAt(line, 99)]).toEqual([2, 1, 1, 3]);
  });
});

describe('a drawing', () => {
  it('names its ticks and units, and tells the figure that was pointed at', async () => {
    const pick = vi.fn();
    render(Chart, {
      label: 'volts over minutes',
      height: 120,
      fixed: 300,
      x: [0, 10],
      y: [0, 4],
      margins: { left: 50, right: 50 },
      xTicks: [0, 5, 10],
      yTicks: [0, 4],
      yWords: (v: number) => v.toFixed(1),
      xUnit: 'min',
      pick,
      children: createRawSnippet(() => ({ render: () => '<circle r="3"></circle>' })),
    });
    const drawing = screen.getByRole('img', { name: 'volts over minutes' });
    const words = [...drawing.querySelectorAll('text')].map((t) => t.textContent);
    expect(words).toEqual(['0.0', '4.0', '0', '5', '10', 'min']);
    await fireEvent.click(drawing, { clientX: 150, clientY: 40 });
    expect(pick).toHaveBeenCalledWith(5);
  });
});
