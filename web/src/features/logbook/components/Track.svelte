<!-- Where it flew, solid, over the lines that were planned, broken and paler; a dot follows the pointer on the curves. -->
<script lang="ts">
  import { sized } from '$shared/ui/sized';
  import { digits, show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';

  interface Props {
    track: number[][];
    route: number[][][];
    at: number | null;
  }
  let { track, route, at }: Props = $props();
  let width = $state(320);
  const H = 250;
  const PAD = 16;
  const M_DEG = 111_195;
  const places = $derived([...track.map((p) => [p[0]!, p[1]!]), ...route.flat()]);
  const middle = $derived.by(() => {
    const lats = places.map((p) => p[1]!);
    return (Math.min(...lats) + Math.max(...lats)) / 2;
  });
  const metres = (p: number[]): [number, number] => [p[0]! * M_DEG * Math.cos((middle * Math.PI) / 180), p[1]! * M_DEG];
  const box = $derived.by(() => {
    const all = places.map(metres);
    const xs = all.map((p) => p[0]);
    const ys = all.map((p) => p[1]);
    const w = Math.max(10, Math.max(...xs) - Math.min(...xs));
    const h = Math.max(10, Math.max(...ys) - Math.min(...ys));
    const k = Math.min((width - 2 * PAD) / w, (H - 2 * PAD - 14) / h);
    return { k, x: Math.min(...xs) - ((width - 2 * PAD) / k - w) / 2, y: Math.max(...ys) + ((H - 2 * PAD - 14) / k - h) / 2 };
  });
  const xy = (p: number[]): [number, number] => {
    const [e, n] = metres(p);
    return [PAD + (e - box.x) * box.k, PAD + (box.y - n) * box.k];
  };
  const path = (ps: number[][]) =>
    ps
      .map(
        (p, k) =>
          `${k ? 'L' : 'M'}${xy(p)
            .map((v) => v.toFixed(1))
            .join(' ')}`,
      )
      .join('');
  const here = $derived.by(() => {
    if (at === null || !track.length) return null;
    const t = at;
    return track.reduce((a, b) => (Math.abs(b[2]! - t) < Math.abs(a[2]! - t) ? b : a));
  });
  const bar = $derived.by(() => {
    const want = 90 / box.k;
    const step = 10 ** Math.floor(Math.log10(want));
    return [5, 2, 1].map((k) => k * step).find((v) => v <= want) ?? step;
  });
</script>

<div {@attach sized((size) => (width = size.width))}>
  {#if track.length < 2}
    <p class="quiet rounded border-line border-dashed border-rule bg-sheet px-4 py-8 text-center text-small">
      This log tells no places: it has no latitude and longitude.
    </p>
  {:else}
    <svg
      {width}
      height={H}
      class="chart block rounded bg-sheet"
      role="img"
      aria-label="Track flown{route.length ? ' over the planned lines' : ''}">
      {#each route as line, k (k)}
        <path d={path(line)} fill="none" stroke="var(--ink-2)" stroke-width="1.1" stroke-dasharray="5 4" opacity=".75" />
      {/each}
      <path d={path(track)} fill="none" stroke="var(--tarn)" stroke-width="1.9" stroke-linejoin="round" />
      {#if track[0]}
        {@const [hx, hy] = xy(track[0])}
        <path d="M{hx - 6} {hy}h12M{hx} {hy - 6}v12" stroke="var(--ink)" stroke-width="2.2" />
        <text x={hx + 8} y={hy - 5} fill="var(--ink)" class="halo">take-off</text>
      {/if}
      {#if here}
        {@const [x, y] = xy(here)}
        <circle cx={x} cy={y} r="5.5" fill="var(--copper)" stroke="var(--sheet)" stroke-width="2" />
      {/if}
      <path d="M{PAD} {H - 12}h{bar * box.k}" stroke="var(--ink)" stroke-width="2" />
      <text x={PAD + bar * box.k + 6} y={H - 8} fill="var(--ink-2)"
        >{session.units === 'metric' ? `${digits(bar)} m` : show(bar, 'm', session.units)}</text>
      <path d="M{width - 16} 24V8m-4 5 4-5 4 5" fill="none" stroke="var(--ink)" stroke-width="1.6" />
      <text x={width - 16} y="36" text-anchor="middle" fill="var(--ink-2)">N</text>
    </svg>
    {#if route.length}<p class="quiet mt-1 text-note">solid: flown, broken: planned</p>{/if}
  {/if}
</div>
