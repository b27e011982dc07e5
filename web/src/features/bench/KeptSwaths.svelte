<!-- Swath tests that are kept with the aircraft that flew them, and keeping the one on the screen. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import type { Problem, Schemas } from '$shared/api/client';
  import { date } from '$shared/format/dates';
  import { percent } from '$shared/format/units';
  import { resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import { notices } from '$shared/ui/notices.svelte';

  interface Props {
    /** What was typed into the calculator, as it is sent. */
    body: () => Record<string, unknown>;
    aircraft: Schemas['AircraftOut'][];
  }
  let { body, aircraft }: Props = $props();
  type Way = Schemas['SwathTestIn']['way'];
  const tests = resource(() => call('GET', '/api/swath-tests'));
  const writable = $derived(session.may('fleet:write'));
  let chosen = $state('');
  let way = $state<Way>('back and forth');
  let height = $state(3);
  let nozzle = $state('');
  let wind = $state<number | null>(null);
  let problem = $state.raw<Problem | null>(null);
  const at = (key: string) => (problem?.field === key ? problem.detail : '');
  const KEYS = ['aircraft_id', 'height_m', 'wind_m_s'];

  async function keep(e: SubmitEvent) {
    e.preventDefault();
    const typed = body() as { catches: { at_m: number; caught: number }[]; wanted_frac: number };
    const { data, problem: bad } = await call('POST', '/api/swath-tests', {
      body: {
        aircraft_id: chosen,
        catches: typed.catches.map((c) => [c.at_m, c.caught] as [number, number]),
        wanted_frac: typed.wanted_frac,
        way,
        height_m: height,
        nozzle,
        wind_m_s: wind,
      },
    });
    problem = bad;
    if (!data) return;
    notices.say(`${data.aircraft}: ${data.spacing_m.toFixed(1)} m saved`);
    await tests.load();
  }
  async function put(id: string, away: boolean) {
    const params = { params: { path: { test_id: id } } };
    const { problem: bad } = away
      ? await call('DELETE', '/api/swath-tests/{test_id}', params)
      : await call('POST', '/api/swath-tests/{test_id}/restore', params);
    if (bad) notices.say(bad.detail, { bad: true });
    else if (away) notices.say('Archived', { undo: () => void put(id, false) });
    await tests.load();
  }
</script>

<section class="mt-5 border-t border-rule pt-3" data-testid="swath-tests">
  <h2>Save with an aircraft</h2>
  <form class="grid max-w-120 gap-2" onsubmit={keep}>
    <Choice
      label="Aircraft"
      value={chosen}
      empty="choose"
      options={aircraft.filter((a) => !a.archived).map((a) => ({ value: a.id, label: a.name }))}
      onchange={(v) => (chosen = v)}
      problem={at('aircraft_id')} />
    <Choice
      label="Flown"
      value={way}
      options={[
        { value: 'back and forth', label: 'back and forth' },
        { value: 'racetrack', label: 'racetrack' },
      ]}
      onchange={(v) => (way = v as Way)} />
    <NumberField
      label="Height above the crop"
      quantity="m"
      value={height}
      onchange={(v) => (height = v)}
      problem={at('height_m')} />
    <NumberField
      label="Wind"
      hint="(if known)"
      quantity="m_s"
      value={wind}
      onchange={(v) => (wind = v)}
      problem={at('wind_m_s')} />
    <TextField label="Nozzle" value={nozzle} maxlength={60} onchange={(v) => (nozzle = v)} />
    {#if problem && !KEYS.includes(problem.field)}<p class="problem m-0" role="alert">{problem.detail}</p>{/if}
    <button class="button justify-self-start" disabled={!writable || !chosen}>Save test</button>
  </form>
  <Failed of={tests} />
  {#if tests.value?.length}
    <ul class="m-0 mt-3 list-none p-0">
      {#each tests.value as t (t.id)}
        <li class="flex items-center gap-3 border-t border-rule py-1">
          <span class="mr-auto"
            ><b>{t.aircraft}, {t.spacing_m.toFixed(1)} m</b>
            {t.way}, {percent(t.variation_frac)} variation; {t.height_m} m high{t.nozzle ? `, ${t.nozzle}` : ''}{t.wind_m_s ===
            null
              ? ''
              : `, wind ${t.wind_m_s.toFixed(1)} m/s`}; {date(t.made_at)}, {t.by}</span>
          <button
            class="button plain"
            disabled={!writable}
            aria-label="Archive the test of {t.aircraft}, {t.spacing_m.toFixed(1)} m"
            onclick={() => put(t.id, true)}>Archive</button>
        </li>
      {/each}
    </ul>
  {:else if tests.value}<p class="quiet mt-2">No test is saved yet.</p>{/if}
</section>
