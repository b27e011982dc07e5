<script lang="ts">
  let { size = 28 }: { size?: number } = $props();
</script>

<svg width={size} height={size} viewBox="0 0 28 28" aria-hidden="true">
  <rect width="28" height="28" rx="2" fill="var(--ink)" />
  <g fill="none" stroke="var(--sheet)" stroke-width="2"><path d="M2 7q6-4 12 0t12 0M2 21q6-4 12 0t12 0" /></g>
  <path d="M2 14q6-4 12 0t12 0" fill="none" stroke="var(--wash-lichen)" stroke-width="2.6" />
</svg>
