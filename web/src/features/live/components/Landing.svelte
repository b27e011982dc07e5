<!-- What was read at a landing: percent first; the rest where there is something to say. -->
<script lang="ts">
  import { download } from '$shared/api/download';
  import Pad from './Pad.svelte';
  import type { Live, Tapped } from '../words/words';

  interface Props {
    flight: Live['flights'][number];
    /** It came home with part of its work left. */
    early: boolean;
    /** With what share it is to land, where the server knows. */
    expected: number | null;
    /** What it told last from the air, where anything tells. */
    heard?: { left_frac?: number | null; lowest_v?: number | null; pack_c?: number | null } | null;
    /** By what share images or litres may fall short before it counts as a gap; the company sets it. */
    gap: number;
    ontap: (t: Tapped, words: string) => void;
    oncancel: () => void;
    compact?: boolean;
  }
  let { flight, early, expected, heard = null, gap, ontap, oncancel, compact = false }: Props = $props();
  // svelte-ignore state_referenced_locally
  const likely = heard?.left_frac ?? expected;
  let percent = $state(likely === null ? '' : String(Math.round(likely * 100)));
  // svelte-ignore state_referenced_locally
  let volts = $state(heard?.lowest_v ? heard.lowest_v.toFixed(2) : '');
  // svelte-ignore state_referenced_locally
  let warm = $state(heard?.pack_c ? String(Math.round(heard.pack_c)) : '');
  // svelte-ignore state_referenced_locally
  let done = $state(String(Math.round((flight.done_by_now ?? 0.5) * 100)));
  let work = $state('');
  // svelte-ignore state_referenced_locally
  const whole = flight.planned_work;
  const wanted = $derived(early ? whole * (Number(done.replace(',', '.')) / 100 || 0) : whole);
  const short = $derived(work.trim() !== '' && Number(work.replace(',', '.')) < wanted * (1 - gap));
  // svelte-ignore state_referenced_locally
  let resume = $state(flight.resume_words.split(';')[0]!);
  let marks = $state<string[]>([]);
  let problems = $state<Record<string, string>>({});
  const MARKS = { 'hard landing': 'hard landing', damage: 'damage', wet: 'wet', swollen: 'pack swollen' };

  let failed = $state('');
  async function fetchRest(form: string) {
    const [lon, lat] = flight.resume_at!;
    failed = await download(`/api/jobs/${flight.job}/export.${form}?sortie=${flight.number}&lon=${lon}&lat=${lat}`);
  }

  function read(text: string, low: number, high: number, key: string, words: string): number | null {
    if (!text.trim()) return null;
    const n = Number(text.replace(',', '.'));
    if (!Number.isFinite(n) || n < low || n > high) problems[key] = `${words} lies between ${low} and ${high}.`;
    return n;
  }
  function save(e: SubmitEvent) {
    e.preventDefault();
    problems = {};
    const left = read(percent, 0, 100, 'percent', 'Percent');
    const lowest = read(volts, 2, 4.5, 'volts', 'The lowest cell');
    const c = read(warm, -40, 120, 'warm', 'The temperature');
    const share = early ? read(done, 0, 100, 'done', 'What was done') : null;
    const counted = read(work, 0, 100_000, 'work', 'What was counted');
    if (early && share === null) problems.done = 'Enter how much of the route was done.';
    if (Object.keys(problems).length) return;
    const figures: Record<string, unknown> = { flight: flight.id };
    if (left !== null) figures.left_frac = left / 100;
    if (lowest !== null) figures.lowest_v = lowest;
    if (c !== null) figures.pack_c = c;
    if (share !== null) figures.done_frac = share / 100;
    if (counted !== null) figures.work = counted;
    if (early && resume.trim()) figures.resume = resume.trim();
    if (marks.length) figures.marks = marks;
    ontap({ kind: 'landed', figures }, `${flight.id} is down`);
  }
</script>

<form class="flex flex-col gap-4" onsubmit={save} aria-label="Landing of {flight.id}" data-testid="landing">
  <div class="grid gap-5 {compact ? 'grid-cols-1' : 'grid-cols-2 max-phone:grid-cols-1'}">
    <Pad {compact} label="Charge left in {flight.set}" unit="%" bind:value={percent} problem={problems.percent} />
    {#if early}<Pad {compact} label="Route completed" unit="%" bind:value={done} problem={problems.done} />
    {:else}<Pad {compact} label="Lowest cell, if it shows" unit="V" decimals bind:value={volts} problem={problems.volts} />{/if}
  </div>
  {#if early}<label class="text-title"
      >Last waypoint, or where it turned home <input class="input !h-tap !text-head" bind:value={resume} maxlength="60" /></label
    >{/if}
  {#if early && flight.resume_words}<p class="m-0 text-title" data-testid="resume">
      By the clock it goes on at <b>{flight.resume_words}</b>. The call to go on says it again.
    </p>
    {#if flight.job && flight.number && flight.resume_at}<div
        class="flex flex-wrap items-center gap-2 text-lead"
        data-testid="rest">
        <span>The rest as a route:</span>
        {#each ['geojson', 'kml', 'gpx', 'csv'] as form (form)}
          <button type="button" class="button !min-h-tap" onclick={() => fetchRest(form)}
            >{form === 'geojson' ? 'GeoJSON' : form.toUpperCase()}</button>
        {/each}
        {#if failed}<p class="problem m-0">{failed}</p>{/if}
      </div>{/if}{/if}
  {#if whole > 0}<div class="flex flex-wrap items-center gap-3 text-title">
      <label
        >{flight.work_what === 'litres' ? 'Litres spread' : 'Images taken'}
        <input class="input !h-tap !w-34 text-right !text-head" inputmode="decimal" bind:value={work} /></label>
      <span class="quiet">of {wanted.toFixed(flight.work_what === 'litres' ? 1 : 0)} planned</span>
      {#if short}<b class="text-copper" role="status">! A gap: look before you leave.</b>{/if}
    </div>
    {#if problems.work}<p class="problem m-0">{problems.work}</p>{/if}{/if}
  <div class="flex flex-wrap items-end gap-2" role="group" aria-label="What was seen">
    {#each Object.entries(MARKS) as [m, words] (m)}<button
        type="button"
        class="button !min-h-tap"
        aria-pressed={marks.includes(m)}
        onclick={() => (marks = marks.includes(m) ? marks.filter((x) => x !== m) : [...marks, m])}>{words}</button
      >{/each}
    <label class="ml-auto text-lead"
      >Pack temperature <input class="input !h-tap !w-31 text-right !text-head" inputmode="decimal" bind:value={warm} /> °C</label>
  </div>
  {#if problems.warm}<p class="problem m-0">{problems.warm}</p>{/if}
  <div class="flex gap-3">
    <button type="button" class="button !min-h-tap-call flex-1 !text-head" onclick={oncancel}>Not yet</button>
    <button class="button dark !min-h-tap-call flex-2 !text-page">It is down</button>
  </div>
</form>
