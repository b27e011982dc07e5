<!-- The verdict on a pack: pattern, sign and word together, so that colour is never the only one. -->
<script lang="ts" module>
  export type Level = 'in service' | 'not yet tested' | 'watch' | 'replace soon' | 'grounded';
  export const LEVELS: Level[] = ['in service', 'not yet tested', 'watch', 'replace soon', 'grounded'];
  export const PATTERN: Record<Level, string> = {
    'in service': 'p-ready',
    'not yet tested': 'p-resting',
    watch: 'p-cooling',
    'replace soon': 'p-waiting',
    grounded: 'p-grounded',
  };
  export const INK: Record<Level, string> = {
    'in service': 'text-lichen',
    'not yet tested': 'text-tarn',
    watch: 'text-copper',
    'replace soon': 'text-heather',
    grounded: 'text-madder',
  };
</script>

<script lang="ts">
  interface Props {
    level: Level;
    size?: number;
    word?: boolean;
  }
  let { level, size = 20, word = true }: Props = $props();
</script>

<span class="inline-flex items-center gap-2 whitespace-nowrap">
  <svg width={size} height={size} viewBox="0 0 20 20" aria-hidden="true" class="shrink-0">
    <g stroke="var(--ink)" stroke-width="1.4">
      {#if level === 'in service'}<rect x="1" y="1" width="18" height="18" fill="url(#p-ready)" />
      {:else if level === 'not yet tested'}<circle cx="10" cy="10" r="9" fill="url(#p-resting)" />
      {:else if level === 'watch'}<path d="M10 1 19 10 10 19 1 10Z" fill="url(#p-cooling)" />
      {:else if level === 'replace soon'}<path d="M10 1.5 19 18.5H1Z" fill="url(#p-waiting)" />
      {:else}<path d="M6.5 1h7L19 6.5v7L13.5 19h-7L1 13.5v-7Z" fill="url(#p-grounded)" />{/if}
    </g>
  </svg>
  {#if word}<span class="font-semibold {INK[level]}">{level}</span>{/if}
</span>
