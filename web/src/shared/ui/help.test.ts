import { afterEach, describe, expect, it, vi } from 'vitest';
import { help } from './help.svelte';
import { notices } from './notices.svelte';

function press(key: string, more: Partial<KeyboardEventInit> = {}, target: HTMLElement = document.body) {
  const event = new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more });
  Object.defineProperty(event, 'target', { value: target });
  help.press(event);
  return event;
}

describe('keys', () => {
  afterEach(() => {
    help.palette = help.keys = false;
  });

  it('run the action of the screen and stop when the screen is left', () => {
    const run = vi.fn();
    const leave = help.offer('map', [{ id: 'fit', label: 'Show all', keys: 'F', run }]);
    expect(press('f').defaultPrevented).toBe(true);
    expect(run).toHaveBeenCalledTimes(1);
    leave();
    press('f');
    expect(run).toHaveBeenCalledTimes(1);
  });

  it('know several keys for one action and the control key', () => {
    const run = vi.fn();
    const leave = help.offer('job', [{ id: 'undo', label: 'Undo', keys: 'Ctrl Z / Escape', run }]);
    press('z');
    expect(run).not.toHaveBeenCalled();
    press('z', { ctrlKey: true });
    press('z', { metaKey: true });
    press('Escape');
    expect(run).toHaveBeenCalledTimes(3);
    leave();
  });

  it('leave fields their keys, but the palette opens everywhere', () => {
    const run = vi.fn();
    const leave = help.offer('job', [{ id: 'fit', label: 'Show all', keys: 'F', run }]);
    const input = document.createElement('input');
    document.body.append(input);
    press('f', {}, input);
    expect(run).not.toHaveBeenCalled();
    press('k', { ctrlKey: true }, input);
    expect(help.palette).toBe(true);
    press('?');
    expect(help.keys).toBe(true);
    leave();
  });
});

describe('notices', () => {
  it('keep three at most, go by themselves, and those with a way back stay longer', () => {
    vi.useFakeTimers();
    for (const text of ['a', 'b', 'c', 'd']) notices.say(text);
    expect(notices.list.map((n) => n.text)).toEqual(['b', 'c', 'd']);
    notices.say('deleted', { undo: () => {} });
    vi.advanceTimersByTime(6000);
    expect(notices.list.map((n) => n.text)).toEqual(['deleted']);
    vi.advanceTimersByTime(7000);
    expect(notices.list).toEqual([]);
  });
});
