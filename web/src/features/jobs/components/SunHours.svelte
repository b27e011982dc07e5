<!-- While the sun stands high enough for pictures, on a date of one's choice. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import type { Schemas } from '$shared/api/client';
  import { clockOf, digits } from '$shared/format/units';
  import type { JobDraft } from '../state/draft.svelte';

  let { draft }: { draft: JobDraft } = $props();
  const now = new Date();
  let on = $state(
    `${now.getFullYear()}-${String(now.getMonth() + 1).padStart(2, '0')}-${String(now.getDate()).padStart(2, '0')}`,
  );
  let sun = $state.raw<Schemas['LightOut'] | null>(null);
  const home = $derived(draft.job!.home?.join());
  $effect(() => {
    void home;
    if (!on) return;
    void call('GET', '/api/jobs/{job_id}/sun', { params: { path: { job_id: draft.job!.id }, query: { on } } }).then(
      ({ data }) => (sun = data),
    );
  });
</script>

<div class="flex flex-wrap items-baseline gap-x-2 text-small" data-testid="sun-hours">
  <label class="inline-flex items-baseline gap-1"
    >Light on<input class="input !w-auto" type="date" bind:value={on} aria-label="Date for the light" /></label>
  {#if sun}
    <span>
      {#if sun.from_at && sun.to_at}sun above {digits(sun.least_deg)}° <b>{clockOf(sun.from_at)} to {clockOf(sun.to_at)}</b>,
        {digits(sun.highest_deg)}° at noon; shadows up to {sun.shadow.toFixed(1)} times what casts them. Even cloud is better still.
      {:else}the sun comes no higher than <b class="text-madder">{digits(sun.highest_deg)}°</b>: below {digits(sun.least_deg)}°
        all day. Even cloud gives better pictures than long shadows.{/if}
    </span>
  {/if}
</div>
