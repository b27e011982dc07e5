<!-- What a file holds, as a small plan: areas by what they are taken as, and where something was done or is wrong. -->
<script lang="ts">
  import { intoBox, type Boundary, type Choice } from '../state/boundary';

  let { found, choice, at = -1 }: { found: Boundary; choice: Choice; at?: number } = $props();
  const W = 300;
  const H = 220;
  const box = $derived(intoBox(found, W - 24, H - 24));
  const put = $derived((p: number[]) => {
    const [x, y] = box(p);
    return [x + 12, y + 12] as [number, number];
  });
  const path = (ring: number[][], close = true) =>
    `M${ring
      .map((p) =>
        put(p)
          .map((v) => v.toFixed(1))
          .join(' '),
      )
      .join('L')}${close ? 'Z' : ''}`;
  const marks = $derived([
    ...found.notes.flatMap((n) => (n.at && n.did !== 'found' ? [n.at] : [])),
    ...found.areas.flatMap((a) => (a.problem_at ? [a.problem_at] : [])),
  ]);
</script>

<svg
  width="100%"
  viewBox="0 0 {W} {H}"
  role="img"
  aria-label="The shapes of the file, north up"
  class="rounded border border-rule bg-sheet">
  {#each found.areas as a, k (k)}
    {#if a.ring.length > 1}
      <path
        d={[path(a.ring), ...a.holes.map((h) => path(h.ring))].join('')}
        fill-rule="evenodd"
        fill={choice.areas[k] === 'area' ? 'var(--area-fill)' : choice.areas[k] === 'nothing' ? 'none' : 'var(--wash-madder)'}
        stroke={a.problem || choice.areas[k] === 'never' || choice.areas[k] === 'cross' ? 'var(--madder)' : 'var(--ink)'}
        stroke-width={at === k ? 3 : 1.4}
        stroke-dasharray={choice.areas[k] === 'nothing' ? '3 4' : choice.areas[k] === 'cross' ? '6 3' : ''} />
    {/if}
  {/each}
  {#each found.lines as l, k (k)}
    <path
      d={path(l.places, choice.lines[k] === 'area')}
      fill={choice.lines[k] === 'area' ? 'var(--area-fill)' : 'none'}
      stroke="var(--tarn)"
      stroke-width={choice.lines[k] === 'nothing' ? 1.4 : 3}
      stroke-dasharray={choice.lines[k] === 'nothing' ? '3 4' : ''} />
  {/each}
  {#each found.points as p, k (k)}
    {@const [x, y] = put(p.at)}
    {#if x > 0 && x < W && y > 0 && y < H}
      <circle
        cx={x}
        cy={y}
        r={choice.points[k] === 'nothing' ? 3 : 5}
        fill={choice.points[k] === 'home' ? 'var(--ink)' : 'var(--sheet)'}
        stroke="var(--ink)" />
    {/if}
  {/each}
  {#each marks as m, k (k)}
    {@const [x, y] = put(m)}
    <path d="M{x - 5} {y - 5}l10 10m0 -10l-10 10" stroke="var(--madder)" stroke-width="2.4" />
  {/each}
</svg>
