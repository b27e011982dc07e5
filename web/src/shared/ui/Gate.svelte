<!-- A verdict on flying: sign, word and shape together, so that colour is never the only one. -->
<script lang="ts" module>
  export type GateWord = 'go' | 'care' | 'no';
  export const GATE_WORDS: Record<GateWord, string> = { go: 'Go', care: 'Go with care', no: 'No go' };
  export const GATE_INK: Record<GateWord, string> = { go: 'text-lichen', care: 'text-copper', no: 'text-madder' };
  export const GATE_FILL: Record<GateWord, string> = { go: 'p-ready', care: 'p-cooling', no: 'p-closed' };
</script>

<script lang="ts">
  interface Props {
    word: GateWord;
    size?: number;
    text?: string;
    class?: string;
  }
  let { word, size = 20, text, class: extra = '' }: Props = $props();
</script>

<span class="inline-flex items-center gap-2 whitespace-nowrap {GATE_INK[word]} {extra}">
  <svg width={size} height={size} viewBox="0 0 20 20" aria-hidden="true" class="shrink-0" fill="none" stroke="currentColor">
    {#if word === 'go'}<path d="M2.5 17.5V9a7.5 7.5 0 0 1 15 0v8.5" stroke-width="2.2" /><path
        d="M6 12.5l3 3 5.5-6.5"
        stroke-width="2.6" />
    {:else if word === 'care'}<path d="M2.5 17.5V9a7.5 7.5 0 0 1 15 0v8.5" stroke-width="2.2" /><path
        d="M10 6.5v6M10 15v2"
        stroke-width="2.8" />
    {:else}<path d="M2.5 17.5V9a7.5 7.5 0 0 1 15 0v8.5Z" stroke-width="2.2" /><path
        d="M6.5 2.5v15M10 1.5v16M13.5 2.5v15M2.5 9h15"
        stroke-width="1.6" />{/if}
  </svg>
  <b>{text ?? GATE_WORDS[word]}</b>
</span>
