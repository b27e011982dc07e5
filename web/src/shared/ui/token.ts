/** Colours as the stylesheet names them, for what is painted and not styled. */
const known = new Map<string, string>();

/** A custom property of the page in the light that is on; read once in each light, for a reading makes the browser style anew. */
export function token(name: string): string {
  const root = document.documentElement;
  const key = `${root.dataset.light ?? ''} ${name}`;
  let found = known.get(key);
  if (!found) {
    found = getComputedStyle(root).getPropertyValue(name).trim();
    known.set(key, found);
  }
  return found;
}
