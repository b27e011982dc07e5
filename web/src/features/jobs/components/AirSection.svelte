<!-- Aircraft, wind and reserve: who flies, in which air, on whose word. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import { type Schemas } from '$shared/api/client';
  import { session } from '$shared/session.svelte';
  import { dayAndClock, show } from '$shared/format/units';
  import Choice from '$shared/ui/Choice.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import WindArrow from '$shared/ui/WindArrow.svelte';
  import type { JobDraft } from '../state/draft.svelte';

  let { draft, fleet, writable }: { draft: JobDraft; fleet: Schemas['FleetOut'] | null; writable: boolean } = $props();
  const job = $derived(draft.job!);
  const off = $derived(!writable);
  const wind = $derived(job.wind);
  const models = $derived(
    (fleet?.aircraft_models ?? []).filter(
      (m) => m.work === job.kind || m.work === 'any' || m.id === job.aircraft_model_id || job.kind === 'search',
    ),
  );
  const items = $derived((fleet?.aircraft ?? []).filter((a) => a.model_id === job.aircraft_model_id));
  let hour = $state(localHour(new Date(Date.now() + 3.6e6)));
  let asked = $state('');
  let busy = $state(false);

  function localHour(d: Date): string {
    const pad = (n: number) => String(n).padStart(2, '0');
    return `${d.getFullYear()}-${pad(d.getMonth() + 1)}-${pad(d.getDate())}T${pad(d.getHours())}:00`;
  }
  function setModel(id: string) {
    const m = fleet?.aircraft_models.find((x) => x.id === id);
    const extra: Record<string, number> = {};
    if (job.kind === 'spraying' && m?.tank_l) extra.tank_l = m.tank_l;
    if (job.kind === 'spraying' && m?.swath_m) extra.swath_m = m.swath_m;
    draft.change({
      aircraft_model_id: id || null,
      aircraft_id: null,
      camera_id: job.camera_id ?? m?.camera_id ?? null,
      work: { ...job.work, ...extra },
    });
  }
  /** A wind typed by hand stands on the hand's word; the forecast's density no longer belongs to it. */
  const typed = (part: Partial<typeof wind>) =>
    draft.change({ wind: { ...wind, ...part, assumed: false, origin: 'entered', words: '', at: null, density_kg_m3: null } });
  async function take() {
    busy = true;
    const { data, problem } = await call('GET', '/api/jobs/{job_id}/air', {
      params: { path: { job_id: job.id }, query: { at: new Date(hour).toISOString() } },
    });
    busy = false;
    asked = problem?.detail ?? '';
    if (!data) return;
    draft.change({
      wind: {
        ...wind,
        speed_m_s: data.speed_m_s,
        from_deg: data.from_deg,
        gust_m_s: data.gust_m_s,
        air_c: data.air_c ?? wind.air_c,
        density_kg_m3: data.density_kg_m3,
        words: data.words,
        at: data.at,
        height_m: Math.max(1, Number(job.work.height_m ?? wind.height_m)),
        assumed: false,
        origin: data.origin === 'forecast' ? 'forecast' : 'measured',
      },
    });
  }
  const said = $derived(
    wind.origin === 'assumed'
      ? 'Assumed wind: not valid for flight.'
      : wind.origin === 'entered'
        ? 'Entered by hand.'
        : `${wind.words}${wind.at ? `, for ${dayAndClock(wind.at)}` : ''}.`,
  );
</script>

<div class="flex flex-col gap-2 pt-1">
  <Choice
    label="Aircraft"
    value={job.aircraft_model_id}
    empty="choose"
    disabled={off}
    options={models.map((m) => ({ value: m.id, label: m.name }))}
    onchange={setModel}
    problem={draft.problemAt('aircraft_model_id', 'pack')} />
  {#if items.length}
    <Choice
      label="which one"
      value={job.aircraft_id}
      empty="any"
      disabled={off}
      options={items.map((m) => ({ value: m.id, label: m.name }))}
      onchange={(v) => draft.change({ aircraft_id: v || null })} />
  {/if}
  <NumberField
    label="Extra payload"
    unit="kg"
    digits={2}
    value={job.sorties.load_kg}
    disabled={off}
    onchange={(v) => draft.change({ sorties: { ...job.sorties, load_kg: v } })}
    problem={draft.problemAt('payload_kg')} />
  <div class="rounded bg-paper-deep px-3 py-2 text-small" data-testid="wind-word">
    <div class="flex flex-wrap items-center gap-2">
      <WindArrow from={wind.from_deg} /><b>{show(wind.speed_m_s, 'm_s', session.units)}</b>
      {#if wind.gust_m_s}<span>gusts {show(wind.gust_m_s, 'm_s', session.units)}</span>{/if}
    </div>
    <div class={wind.assumed ? 'problem' : 'quiet'}>{said}</div>
    <div class="mt-1 grid grid-cols-[minmax(0,1fr)_auto] gap-1.5">
      <input class="input min-w-0 !px-1 text-note" type="datetime-local" aria-label="Hour of the forecast" bind:value={hour} />
      <button class="button !min-h-9 whitespace-nowrap !px-2 text-small" disabled={off || busy || !hour} onclick={take}
        >Take wind</button>
    </div>
    {#if asked}<p class="problem m-0 mt-1" role="alert">{asked}</p>{/if}
  </div>
  <NumberField
    label="Wind at flying height"
    quantity="m_s"
    value={wind.speed_m_s}
    disabled={off}
    onchange={(v) => typed({ speed_m_s: v })}
    problem={draft.problemAt('wind.speed_m_s')} />
  <NumberField
    label="comes from"
    unit="°"
    digits={0}
    value={wind.from_deg}
    disabled={off}
    onchange={(v) => typed({ from_deg: v })}
    problem={draft.problemAt('wind.from_deg')} />
  <NumberField
    label="at a height of"
    quantity="m"
    digits={0}
    value={wind.height_m}
    disabled={off}
    onchange={(v) => draft.change({ wind: { ...wind, height_m: v } })}
    problem={draft.problemAt('wind.height_m')} />
  <NumberField
    label="Air"
    quantity="c"
    value={wind.air_c}
    disabled={off}
    onchange={(v) => draft.change({ wind: { ...wind, air_c: v, density_kg_m3: null } })}
    problem={draft.problemAt('wind.air_c')} />
  <Choice
    label="Over"
    value={wind.cover}
    disabled={off}
    options={[
      { value: 'water', label: 'water or snow' },
      { value: 'grass', label: 'open grass' },
      { value: 'crops', label: 'low crops' },
      { value: 'hedges', label: 'hedges, trees' },
      { value: 'wood', label: 'wood or village' },
    ]}
    onchange={(v) => draft.change({ wind: { ...wind, cover: v as 'grass' } })} />
  <NumberField
    label="Measured into wind"
    hint="ground speed"
    quantity="m_s"
    value={wind.into_m_s ?? null}
    disabled={off}
    onchange={(v) => draft.change({ wind: { ...wind, into_m_s: v } })}
    problem={draft.problemAt('wind.into_m_s')} />
  <NumberField
    label="Measured with wind"
    quantity="m_s"
    value={wind.with_m_s ?? null}
    disabled={off}
    onchange={(v) => draft.change({ wind: { ...wind, with_m_s: v } })}
    problem={draft.problemAt('wind.with_m_s')} />
  {#if wind.into_m_s != null && wind.with_m_s != null}<p class="quiet m-0 text-small">
      Both measured: they take precedence over the computed airspeed and wind.
      <button class="underline" disabled={off} onclick={() => draft.change({ wind: { ...wind, into_m_s: null, with_m_s: null } })}
        >forget them</button>
    </p>{/if}
  <NumberField
    label="Land with"
    unit="%"
    scale={100}
    digits={0}
    value={job.sorties.landing_frac}
    disabled={off}
    onchange={(v) => draft.change({ sorties: { ...job.sorties, landing_frac: v } })}
    problem={draft.problemAt('reserve.landing_frac')} />
  <NumberField
    label="Never below"
    unit="%"
    scale={100}
    digits={0}
    value={job.sorties.floor_frac}
    disabled={off}
    onchange={(v) => draft.change({ sorties: { ...job.sorties, floor_frac: v } })}
    problem={draft.problemAt('reserve.floor_frac')} />
  <Choice
    label="Reserve counts"
    value={job.sorties.reserve_method}
    disabled={off}
    options={[
      { value: 'rated', label: 'from the label' },
      { value: 'measured', label: 'from today' },
    ]}
    onchange={(v) => draft.change({ sorties: { ...job.sorties, reserve_method: v as 'rated' } })} />
  <NumberField
    label="Time margin"
    unit="s"
    digits={0}
    value={job.sorties.keep_spare_s}
    disabled={off}
    onchange={(v) => draft.change({ sorties: { ...job.sorties, keep_spare_s: v } })}
    problem={draft.problemAt('sorties.keep_spare_s')} />
  <Choice
    label="Way home"
    value={job.sorties.home_fast ? 'fast' : 'cruise'}
    disabled={off}
    options={[
      { value: 'cruise', label: 'at cruise' },
      { value: 'fast', label: 'in fast mode' },
    ]}
    onchange={(v) => draft.change({ sorties: { ...job.sorties, home_fast: v === 'fast' } })}
    problem={draft.problemAt('sorties.home_fast')} />
</div>
