<script lang="ts">
  import { call } from '$shared/api/call';
  import { shortDate } from '$shared/format/dates';
  import { clockOf } from '$shared/format/units';
  import { resource } from '$shared/resource.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import { deviceWords } from './device-words';

  const all = resource(() => call('GET', '/api/me/sessions'));
  const others = $derived((all.value ?? []).filter((s) => !s.here).length);
  const when = (t: string) => `${shortDate(t)}, ${clockOf(t)}`;

  async function end(id: number) {
    const { problem } = await call('DELETE', '/api/me/sessions/{session_id}', { params: { path: { session_id: id } } });
    if (problem) notices.say(problem.detail, { bad: true });
    await all.load();
  }
  async function endOthers() {
    const { problem } = await call('DELETE', '/api/me/sessions');
    notices.say(problem?.detail ?? 'You are signed out everywhere else', { bad: !!problem });
    await all.load();
  }
</script>

<section>
  <div class="mb-2 flex items-center gap-4">
    <h2 class="mr-auto">Where you are signed in</h2>
    <button class="button" disabled={!others} onclick={endOthers}>Sign out everywhere else</button>
  </div>
  <Failed of={all} />
  {#if all.value}
    <table class="sheet-table bg-sheet">
      <thead
        ><tr
          ><th>device</th><th>address</th><th>last used</th><th class="max-hand:hidden">since</th><th
            ><span class="visually-hidden">what can be done</span></th
          ></tr
        ></thead>
      <tbody>
        {#each all.value as s (s.id)}
          <tr>
            <td class="font-semibold">{deviceWords(s.device)}</td>
            <td class="nums">{s.address}</td>
            <td class="nums whitespace-nowrap">{s.here ? 'now, here' : when(s.seen_at)}</td>
            <td class="nums whitespace-nowrap max-hand:hidden">{when(s.opened_at)}</td>
            <td class="text-right"
              >{#if !s.here}<button
                  class="button plain"
                  onclick={() => end(s.id)}
                  aria-label="Sign out {deviceWords(s.device)}, {s.address}">Sign out</button
                >{/if}</td>
          </tr>
        {:else}<tr><td colspan="5" class="quiet">This session will stand here from its next use on.</td></tr>{/each}
      </tbody>
    </table>
  {:else if !all.problem}<p class="quiet" role="status">Looking …</p>{/if}
</section>
