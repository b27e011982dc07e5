/** A name where there is little room: its beginning and its end, which tell alike ones apart. */
export function cut(name: string, most: number): string {
  const letters = [...name];
  if (letters.length <= most) return name;
  const end = Math.floor((most - 1) / 2);
  return `${letters.slice(0, most - 1 - end).join('')}…${letters.slice(letters.length - end).join('')}`;
}
