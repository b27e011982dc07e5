<!-- How the server does, for the lead who tells whoever runs it. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import { resource } from '$shared/resource.svelte';
  import Failed from '$shared/ui/Failed.svelte';

  const server = resource(() => call('GET', '/api/server'));
  const bad = $derived((server.value?.checks ?? []).filter((c) => !c.ok).length);
</script>

<div class="mx-auto max-w-309 px-6 py-6">
  <div class="mb-1 flex items-end gap-4">
    <h1 class="mr-auto">Server</h1>
    <button class="button" disabled={server.busy} onclick={server.load}>{server.busy ? 'Looking …' : 'Look again'}</button>
  </div>
  <Failed of={server} />
  {#if server.value}
    <p class="mb-5" role="status">
      Gentle Quarry {server.value.version}. {bad
        ? `${bad} of ${server.value.checks.length} checks ${bad === 1 ? 'needs' : 'need'} somebody: tell whoever runs the server.`
        : 'No issues.'}
    </p>
    <table class="sheet-table bg-sheet">
      <thead><tr><th>what</th><th>state</th><th>found</th><th>what helps</th></tr></thead>
      <tbody>
        {#each server.value.checks as c (c.name)}
          <tr>
            <td class="font-semibold">{c.name}</td>
            <td class="whitespace-nowrap" class:problem={!c.ok}>{c.ok ? '✓ good' : '✕ not good'}</td>
            <td>{c.found}</td>
            <td>{c.ok ? '' : c.mend}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  {:else if !server.problem}<p class="quiet" role="status">Looking …</p>{/if}
</div>
