<!-- Where the wind comes from, in words and degrees, with an arrow of where the wind blows to: both, so that nobody mixes them up. -->
<script lang="ts" module>
  const POINTS = ['north', 'north-east', 'east', 'south-east', 'south', 'south-west', 'west', 'north-west'];
  /** The point of the compass nearest to a bearing. */
  export function pointOf(deg: number): string {
    return POINTS[Math.round((((deg % 360) + 360) % 360) / 45) % 8]!;
  }
</script>

<script lang="ts">
  interface Props {
    from: number;
    size?: number;
    words?: boolean;
  }
  let { from, size = 22, words = true }: Props = $props();
</script>

<span class="inline-flex items-center gap-1.5 align-middle whitespace-nowrap">
  <svg width={size} height={size} viewBox="-11 -11 22 22" role="img" aria-label="the wind blows to {pointOf(from + 180)}">
    <g transform="rotate({from + 180})">
      <path d="M0 9V-4" stroke="var(--tarn)" stroke-width="2.4" />
      <path d="M0 -10L5.5 -1.5H-5.5Z" fill="var(--tarn)" />
      <circle cy="9" r="1.8" fill="var(--tarn)" />
    </g>
  </svg>
  {#if words}<span>from {Math.round(((from % 360) + 360) % 360)}°, {pointOf(from)}</span>{/if}
</span>
