<script lang="ts">
  // No state of its own: pattern definitions for the whole page.
</script>

<!-- One set of patterns for the states of a pack, used wherever a pack appears. -->
<svg width="0" height="0" class="absolute" aria-hidden="true" focusable="false">
  <defs>
    <pattern id="p-flying" width="8" height="8" patternUnits="userSpaceOnUse"
      ><rect width="8" height="8" fill="var(--ink)" /></pattern>
    <pattern id="p-cooling" width="7" height="7" patternUnits="userSpaceOnUse">
      <rect width="7" height="7" fill="var(--wash-copper)" />
      <circle cx="1.8" cy="1.8" r="1" fill="var(--copper)" /><circle cx="5.3" cy="5.3" r="1" fill="var(--copper)" />
    </pattern>
    <pattern id="p-waiting" width="6" height="8" patternUnits="userSpaceOnUse">
      <rect width="6" height="8" fill="var(--wash-heather)" /><rect x="1.5" width="1.4" height="8" fill="var(--heather)" />
    </pattern>
    <pattern id="p-charging" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(35)">
      <rect width="7" height="7" fill="var(--wash-lichen)" /><rect width="2" height="7" fill="var(--lichen)" />
    </pattern>
    <pattern id="p-resting" width="14" height="8" patternUnits="userSpaceOnUse">
      <rect width="14" height="8" fill="var(--wash-tarn)" />
      <path d="M1 2h7M8 6h6M0 6h1" stroke="var(--tarn)" stroke-width="1.2" fill="none" />
    </pattern>
    <pattern id="p-ready" width="16" height="12" patternUnits="userSpaceOnUse">
      <rect width="16" height="12" fill="var(--stone)" />
      <path d="M0 .5h16M0 6.5h16M4.5 .5v6M12.5 6.5v6" stroke="var(--stone-line)" stroke-width="1" fill="none" />
    </pattern>
    <pattern id="p-grounded" width="10" height="10" patternUnits="userSpaceOnUse">
      <rect width="10" height="10" fill="var(--wash-madder)" />
      <path d="M3 3l4 4M7 3l-4 4" stroke="var(--madder)" stroke-width="1.3" />
    </pattern>
    <pattern id="p-closed" width="11" height="11" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
      <rect width="11" height="11" fill="var(--paper-deep)" /><rect width="1" height="11" fill="var(--ink-2)" opacity=".55" />
    </pattern>
    <pattern id="p-home" width="14" height="8" patternUnits="userSpaceOnUse">
      <rect width="14" height="8" fill="var(--wash-tarn)" />
      <path d="M1 2h7M8 6h6M0 6h1" stroke="var(--tarn)" stroke-width="1" fill="none" opacity=".75" />
    </pattern>
    <pattern id="p-load" width="6" height="5" patternUnits="userSpaceOnUse">
      <rect width="6" height="5" fill="var(--wash-tarn)" /><path
        d="M0 2.5h6"
        stroke="var(--tarn)"
        stroke-width=".8"
        opacity=".6" />
    </pattern>
  </defs>
</svg>
