import type { Attachment } from 'svelte/attachments';

/** Says when what it is attached to comes near the window: the end of a list that grows as one goes down it. */
export function nearing(near: () => void): Attachment<HTMLElement> {
  return (node) => {
    if (typeof IntersectionObserver === 'undefined') {
      near();
      return;
    }
    const seen = new IntersectionObserver((entries) => entries.some((e) => e.isIntersecting) && near(), {
      // Whoever has jumped past it is near it too.
      rootMargin: '1000000px 0px 800px 0px',
    });
    seen.observe(node);
    return () => seen.disconnect();
  };
}
