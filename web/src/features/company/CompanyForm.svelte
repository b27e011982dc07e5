<!-- What a company goes by, to be changed by its lead; what was typed and not saved stays on the device. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { formDraft } from '$shared/device/form-draft.svelte';
  import { date } from '$shared/format/dates';
  import { clockIn } from '$shared/format/moments';
  import { session } from '$shared/session.svelte';
  import CameBack from '$shared/ui/CameBack.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import { toProblem } from '$shared/ui/toProblem';

  let { company }: { company: Schemas['CompanyOut'] } = $props();
  const FORMS = ['day', 'month', 'iso'] as const;
  const zones = Intl.supportedValuesOf('timeZone');
  const device = Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC';
  const writable = $derived(session.may('company:write'));
  // A zone that nobody has set begins with that of the device.
  // svelte-ignore state_referenced_locally
  let form = $state({ ...company, time_zone: company.time_zone || device });
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);
  const draft = formDraft(
    'company',
    () => form,
    (typed) => (form = typed),
  );
  const at = (field: string) => (problem?.field === field ? problem.detail : '');
  const now = $derived(zones.includes(form.time_zone) || form.time_zone === 'UTC' ? clockIn(new Date(), form.time_zone) : '');

  async function save(e: SubmitEvent) {
    e.preventDefault();
    const sheet = e.currentTarget as HTMLFormElement;
    busy = true;
    const { data, problem: bad } = await call('PATCH', '/api/company', { body: form });
    busy = false;
    problem = bad;
    if (!data) return toProblem(sheet);
    draft.saved();
    // A page may fetch pictures only from where it was opened with.
    if (data.map_address !== session.me?.map_address) return location.reload();
    await session.load();
    notices.say('Company saved');
  }
</script>

<form class="flex flex-col gap-4" onsubmit={save}>
  <CameBack {draft}><button type="button" class="button small" onclick={() => draft.anew()}>Begin anew</button></CameBack>
  <TextField label="Name" live value={form.name} onchange={(v) => (form.name = v)} problem={at('name')} disabled={!writable} />
  <div>
    <TextField
      label="Time zone"
      live
      list="zones"
      value={form.time_zone}
      onchange={(v) => (form.time_zone = v)}
      problem={at('time_zone')}
      disabled={!writable} />
    <datalist id="zones"
      >{#each zones as z (z)}<option value={z}></option>{/each}</datalist>
    {#if now}<p class="quiet m-0 mt-1">It is {now} there now. New days begin with it; each day may have its own.</p>{/if}
  </div>
  <TextField
    label="Currency sign or code, such as € or CHF"
    live
    maxlength={3}
    value={form.currency}
    onchange={(v) => (form.currency = v)}
    problem={at('currency')}
    disabled={!writable} />
  <fieldset class="border-0 p-0">
    <legend class="mb-1">Dates</legend>
    <div class="flex flex-wrap gap-2">
      {#each FORMS as f (f)}<button
          type="button"
          class="button"
          aria-pressed={form.dates === f}
          disabled={!writable}
          onclick={() => (form.dates = f)}>{date('2026-11-30', f)}</button
        >{/each}
    </div>
  </fieldset>
  <details open={!!form.map_address || !!at('map_address')}>
    <summary class="cursor-pointer font-semibold">Map service{form.map_address ? '' : ': none, maps ask nobody'}</summary>
    <p class="quiet my-2">
      Maps may show pictures of a service that you have the right to use. Each device then asks it for the ground that is looked
      at. Empty: nothing is asked. Own pictures need none: drop a GeoTIFF, MBTiles or PMTiles file on a job's map.
    </p>
    <div class="flex flex-col gap-4">
      <TextField
        label={'Address with {z}, {x} and {y}, or of a WMTS with {TileMatrix}, {TileCol} and {TileRow}'}
        live
        maxlength={400}
        value={form.map_address}
        onchange={(v) => (form.map_address = v)}
        problem={at('map_address')}
        disabled={!writable} />
      <TextField
        label="Words of credit that the service asks for"
        live
        maxlength={200}
        value={form.map_credit}
        onchange={(v) => (form.map_credit = v)}
        problem={at('map_credit')}
        disabled={!writable} />
    </div>
  </details>
  {#if problem && !['name', 'time_zone', 'currency', 'map_address', 'map_credit'].includes(problem.field)}<p
      class="problem m-0"
      role="alert">
      {problem.detail}
    </p>{/if}
  {#if writable}<button class="button dark self-start" disabled={busy}>Save company</button>
  {:else}<p class="quiet m-0">An operations lead sets this.</p>{/if}
</form>
