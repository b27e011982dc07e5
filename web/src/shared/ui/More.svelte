<!-- The end of a list that comes in pages: how much of it is shown, and the next page. -->
<script lang="ts">
  import { digits } from '$shared/format/units';

  let { of }: { of: { items: unknown[] | null; next: string | null; total: number; busy: boolean; more: () => unknown } } =
    $props();
</script>

{#if of.next}
  <button class="button mt-3" disabled={of.busy} onclick={of.more}
    >{of.busy ? 'Looking …' : `Show more: ${digits(of.items?.length ?? 0)} of ${digits(of.total)} shown`}</button>
{/if}
