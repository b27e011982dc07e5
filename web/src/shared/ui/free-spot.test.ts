import { describe, expect, it } from 'vitest';
import { freeSpot, type Rect } from './free-spot';

const view = { width: 1280, height: 800 };
const size = { width: 400, height: 50 };
const covers = (spot: { left: number; top: number }, t: Rect) =>
  t.left < spot.left + size.width && spot.left < t.right && t.top < spot.top + size.height && spot.top < t.bottom;

describe('where a notice lies', () => {
  it('is at the foot in the middle of an empty screen', () => {
    expect(freeSpot(size, view, [])).toEqual({ left: 440, top: 738 });
  });

  it('covers nothing that can be tapped wherever there is room', () => {
    let r = 11;
    const draw = (n: number) => (r = (r * 1103515245 + 12345) % 2147483648) % n;
    for (let k = 0; k < 100; k++) {
      const taken = Array.from({ length: 1 + draw(14) }, () => {
        const [left, top] = [draw(1200), draw(760)];
        return { left, top, right: left + 60 + draw(200), bottom: top + 36 };
      });
      const spot = freeSpot(size, view, taken);
      expect(
        taken.some((t) => covers(spot, t)),
        JSON.stringify({ spot, taken }),
      ).toBe(false);
    }
  });

  it('covers the least where the screen is full, and stays on it', () => {
    const full = Array.from({ length: 100 }, (_, k) => ({ left: 0, right: 1280, top: 8 * k, bottom: 8 * k + 8 }));
    const sparse = full.filter((t) => t.top < 100 || t.top > 130);
    const spot = freeSpot(size, view, sparse);
    expect(sparse.filter((t) => covers(spot, t)).length).toBeLessThan(
      full.filter((t) => covers({ left: 440, top: 738 }, t)).length,
    );
    const narrow = freeSpot({ width: 400, height: 50 }, { width: 320, height: 500 }, full);
    expect(narrow.left).toBeGreaterThanOrEqual(0);
    expect(narrow.top + 50).toBeLessThanOrEqual(500);
  });
});
