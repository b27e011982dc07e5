<!-- What is left of a sortie as a route: from where its work stopped, given as waypoint, distance, time or place. -->
<script lang="ts">
  import { untrack } from 'svelte';
  import { call } from '$shared/api/call';
  import { download } from '$shared/api/download';
  import { session } from '$shared/session.svelte';
  import { dayAndClock, fromShown, unitOf } from '$shared/format/units';
  import { notices } from '$shared/ui/notices.svelte';
  import type { JobDraft } from '../state/draft.svelte';

  let { draft }: { draft: JobDraft } = $props();
  const BY = {
    waypoint: 'waypoint number',
    distance: 'distance flown on the work',
    time: 'time after take-off',
    place: 'place',
    flight: 'log of the flight',
  } as const;
  let by = $state<keyof typeof BY>('waypoint');
  let text = $state('');
  let onward = $state(false);
  let problem = $state('');
  const label = $derived(`${draft.job!.letter}${draft.selected}`);
  let flights = $state<{ id: string; words: string }[] | null>(null);
  let flight = $state('');
  $effect(() => {
    if (by === 'flight' && flights === null) untrack(loadFlights);
  });

  async function loadFlights() {
    const { data, problem: failed } = await call('GET', '/api/logbook', { params: { query: { size: 100 } } });
    if (!data) {
      problem = failed.detail;
      return;
    }
    flights = data.entries
      .filter((e) => e.flight_id)
      .map((e) => ({
        id: e.flight_id!,
        words: [e.began_at ? dayAndClock(e.began_at) : 'no date', e.aircraft, e.sortie].filter(Boolean).join(' · '),
      }));
  }

  $effect(() => {
    if (draft.stoppedAt) {
      by = 'place';
      text = `${draft.stoppedAt[1]}, ${draft.stoppedAt[0]}`;
    }
  });

  function query(): Record<string, string> | null {
    if (by === 'flight') return flight ? { flight_id: flight } : null;
    const plain = text.trim().replace(/°/g, '');
    if (by === 'time') {
      const parts = plain.split(':').map(Number);
      if (!parts.length || parts.some((v) => !Number.isFinite(v))) return null;
      const [h, m, s] = parts.length === 3 ? parts : parts.length === 2 ? [0, ...parts] : [0, parts[0]!, 0];
      return { clock_s: String(h! * 3600 + m! * 60 + s!) };
    }
    if (by === 'place') {
      const [lat, lon] = plain.split(/[,;\s]+/).map(Number);
      return Number.isFinite(lat) && Number.isFinite(lon) ? { lat: String(lat), lon: String(lon) } : null;
    }
    const v = Number(plain.replace(',', '.'));
    if (plain === '' || !Number.isFinite(v)) return null;
    return by === 'waypoint' ? { waypoint: String(Math.round(v)) } : { done_m: String(fromShown(v, 'm', session.units)) };
  }

  async function fetchRest(form: string) {
    const asked = query();
    problem = '';
    if (!asked) {
      problem = {
        time: 'Type minutes and seconds, as 17:01.',
        place: 'Type latitude and longitude, or tap the map.',
        waypoint: 'Type the number of the last waypoint reached.',
        distance: 'Type a distance.',
        flight: 'Choose the flight.',
      }[by];
      return;
    }
    const more = new URLSearchParams({ ...asked, sortie: String(draft.selected), ...(onward ? { onward: 'true' } : {}) });
    const failed = await download(`/api/jobs/${draft.job!.id}/export.${form}?${more}`);
    if (failed) problem = failed;
    else notices.say(`The rest of ${label} is in your downloads.`);
  }
</script>

<details class="mt-1 text-small" data-testid="remainder">
  <summary class="inline-flex min-h-touch cursor-pointer items-center font-semibold">Export the rest of {label}</summary>
  <p class="quiet m-0 mb-2">Where its work stopped becomes the first worked point, entered over a safe waypoint from home.</p>
  <div class="grid gap-2">
    <select class="input" aria-label="Stopped, given by" bind:value={by}>
      {#each Object.entries(BY) as [key, word] (key)}<option value={key}>{word}</option>{/each}
    </select>
    {#if by === 'flight'}
      <select class="input" aria-label="Flight" bind:value={flight}>
        <option value=""
          >{flights === null ? 'Loading …' : flights.length ? 'Choose a flight' : 'No flight with a log yet'}</option>
        {#each flights ?? [] as f (f.id)}<option value={f.id}>{f.words}</option>{/each}
      </select>
    {:else}
      <input
        class="input"
        aria-label="Stopped at"
        placeholder={{ waypoint: '17', distance: unitOf('m', session.units), time: '17:01', place: 'lat, lon' }[by]}
        bind:value={text} />
    {/if}
  </div>
  {#if by === 'place'}<button class="mt-1 underline" onclick={() => (draft.asking = true)}
      >{draft.asking ? 'Tap the map where work stopped …' : 'Tap on the map'}</button
    >{/if}
  {#if problem}<p class="problem m-0 mt-1" role="alert">{problem}</p>{/if}
  <label class="flex min-h-touch items-center gap-2"
    ><input type="checkbox" class="size-5" bind:checked={onward} />with all sorties after it</label>
  <div class="flex flex-wrap gap-2">
    {#each ['geojson', 'kml', 'gpx', 'csv'] as form (form)}
      <button class="button" onclick={() => fetchRest(form)}>{form === 'geojson' ? 'GeoJSON' : form.toUpperCase()}</button>
    {/each}
  </div>
</details>
