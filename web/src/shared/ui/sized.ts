import type { Attachment } from 'svelte/attachments';

type Told = (size: { width: number; height: number }) => void;
const listeners = new WeakMap<Element, Told>();
let observer: ResizeObserver | undefined;

/**
 * Tells the inner size of what it is attached to, at first and whenever it changes.
 *
 * The browser tells it once it has laid the page out, before it paints. To ask for it while the page is being built, as a
 * binding of the width does, makes the browser lay out what stands so far, once for every drawing.
 */
export function sized(told: Told): Attachment<HTMLElement> {
  return (node) => {
    if (typeof ResizeObserver === 'undefined') return;
    observer ??= new ResizeObserver((entries) => {
      for (const { target } of entries) listeners.get(target)?.({ width: target.clientWidth, height: target.clientHeight });
    });
    listeners.set(node, told);
    observer.observe(node);
    return () => {
      observer!.unobserve(node);
      listeners.delete(node);
    };
  };
}
