<!-- What stops people, found by the plan: return height, steep ground, unknown terrain, no fallback, an assumed wind. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';
  let { checks, jobId }: { checks: Schemas['PlanCheck'][]; jobId: string } = $props();
</script>

{#if checks.length}
  <ul
    class="m-0 mb-2 mt-1 list-none border-t border-rule p-0 pt-1.5 text-small"
    aria-label="Before this is flown"
    data-testid="checks">
    {#each checks as c (c.words)}
      <li class="flex gap-2 py-0.5 {c.verdict === 'no' ? 'text-madder' : 'text-copper'}">
        <b aria-hidden="true">{c.verdict === 'no' ? '✕' : '!'}</b><span class={c.verdict === 'no' ? 'font-semibold' : ''}
          >{c.words}</span>
      </li>
    {/each}
  </ul>
{/if}
<p class="no-print m-0 mb-1.5 mt-2.5 flex gap-4 text-small">
  <a href="/limits?job={jobId}">Weather for this job</a><a href="/preflight?job={jobId}">Preflight</a>
</p>
