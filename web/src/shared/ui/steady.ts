import type { Attachment } from 'svelte/attachments';

const IGNORED_MS = 400;

/**
 * Ignores taps for a moment after something has moved: where one thing to tap was, another may lie now.
 * `moved` is told when a tap was ignored.
 */
export function steady(moved: () => void): Attachment<HTMLElement> {
  return (node) => {
    if (typeof ResizeObserver === 'undefined') return;
    let until = 0;
    const hold = () => (until = performance.now() + IGNORED_MS);
    const seen = new Map<Element, number>();
    const sizes = new ResizeObserver((entries) => {
      for (const e of entries) {
        const height = Math.round(e.contentRect.height);
        const before = seen.get(e.target);
        seen.set(e.target, height);
        // The first look at a thing is no move of it; only heights push what lies below.
        if (before !== undefined && before !== height) hold();
      }
    });
    const watch = () => {
      for (const child of node.querySelectorAll(':scope > *, [data-steady]')) if (!seen.has(child)) sizes.observe(child);
      for (const gone of [...seen.keys()].filter((c) => !node.contains(c))) {
        sizes.unobserve(gone);
        seen.delete(gone);
      }
    };
    const children = new MutationObserver((changes) => {
      const elements = (list: NodeList) => [...list].some((n) => n.nodeType === Node.ELEMENT_NODE);
      if (changes.some((c) => elements(c.addedNodes) || elements(c.removedNodes))) {
        hold();
        watch();
      }
    });
    watch();
    children.observe(node, { childList: true });
    const tap = (e: MouseEvent) => {
      // A key goes to what has the focus, wherever that has moved: its click counts no taps.
      if (e.detail === 0 || performance.now() >= until) return;
      e.preventDefault();
      e.stopPropagation();
      moved();
    };
    node.addEventListener('click', tap, true);
    return () => {
      sizes.disconnect();
      children.disconnect();
      node.removeEventListener('click', tap, true);
    };
  };
}
