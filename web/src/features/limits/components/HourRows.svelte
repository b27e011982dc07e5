<!-- One hour judged: every limit with what is known, whose limit it is and the margin; the deciding ones first. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import { session } from '$shared/session.svelte';
  import Gate from '$shared/ui/Gate.svelte';
  import Why from '$shared/working/Why.svelte';
  import type { Schemas } from '$shared/api/client';
  import { daylight, said, thunderstorm, type GateDay, type GateHour } from '../words/gate';

  interface Props {
    day: GateDay;
    hour: GateHour;
    jobId: string;
    quantities: Schemas['LimitQuantity'][];
  }
  let { day, hour, jobId, quantities }: Props = $props();
  const RANK = { no: 0, care: 1, go: 2 };
  const rows = $derived([...hour.verdict.rows].sort((a, b) => RANK[a.verdict] - RANK[b.verdict]));
  const q = (key: string) => quantities.find((x) => x.key === key);
  const text = (key: string, v: number | null) => said(key, v, session.units, q(key)?.unit, q(key)?.scale, q(key)?.decimals);
  const known = (key: string, v: number | null) => {
    if (v !== null && key === 'sun_deg') return daylight(day, v);
    if (v !== null && key === 'thunder_count') return thunderstorm(v);
    return text(key, v);
  };
  const ORIGIN: Record<string, string> = { measured: 'measured', entered: 'report', forecast: 'forecast', computed: 'computed' };
</script>

<table class="sheet-table bg-sheet" data-testid="hour-rows">
  <thead>
    <tr
      ><th>limit of the hour</th><th class="!text-right">known</th><th class="!text-right">min</th><th class="!text-right">max</th
      ><th>decided by</th><th>verdict</th></tr>
  </thead>
  <tbody>
    {#each rows as r (r.key)}
      <tr class={r.verdict === 'no' ? 'bg-wash-madder' : r.verdict === 'care' ? 'bg-wash-copper' : ''}>
        <td><b>{r.words}</b></td>
        <td class="text-right"
          ><Why
            text={known(r.key, r.value)}
            name={r.words.toLowerCase()}
            ask={() =>
              call('GET', '/api/limits/moment/{job_id}/working/{key}', {
                params: { path: { job_id: jobId, key: r.key }, query: { at: hour.at } },
              })} />
          {#if r.origin}<span class="quiet ml-1 text-note">{ORIGIN[r.origin]}</span>{/if}</td>
        <td class="text-right">{r.least ? text(r.key, r.least.value) : ''}</td>
        <td class="text-right">{r.most ? (r.key === 'thunder_count' ? 'none' : text(r.key, r.most.value)) : ''}</td>
        <td>{r.whose}</td>
        <td><Gate word={r.verdict} size={17} /></td>
      </tr>
    {/each}
  </tbody>
</table>
