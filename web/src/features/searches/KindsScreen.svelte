<!-- What searches count with: tables of distances by kind of person, and own trials of sweep width. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import type { Problem, Schemas } from '$shared/api/client';
  import { percent, show } from '$shared/format/units';
  import { shortDate } from '$shared/format/dates';
  import { resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import TrialCurve from './TrialCurve.svelte';
  import { COVERS, passesOf, withinOf, withinText } from './what';

  const kinds = resource(() => call('GET', '/api/person-kinds'));
  const trials = resource(() => call('GET', '/api/sweep-trials'));
  const tables = $derived(session.may('policy:write'));
  const writable = $derived(session.may('jobs:write'));

  let editing = $state<string | null>(null);
  let name = $state('');
  let table = $state('');
  let note = $state('');
  let bad = $state.raw<Problem | null>(null);
  function edit(k: Schemas['PersonKindOut'] | null) {
    editing = k ? String(k.id) : '';
    name = k?.name ?? '';
    table = k ? withinText(k.within as [number, number][]) : '25 \n50 \n75 \n95 ';
    note = k?.note ?? '';
    bad = null;
  }
  async function keep(e: SubmitEvent) {
    e.preventDefault();
    const body = { name, within: withinOf(table), note };
    const { data, problem } = editing
      ? await call('PUT', '/api/person-kinds/{kind_id}', { params: { path: { kind_id: editing } }, body })
      : await call('POST', '/api/person-kinds', { body });
    bad = problem;
    if (data) {
      editing = null;
      void kinds.load();
    }
  }
  async function archive(k: Schemas['PersonKindOut']) {
    const { problem } = await call('DELETE', '/api/person-kinds/{kind_id}', { params: { path: { kind_id: k.id } } });
    if (problem) notices.say(problem.detail, { bad: true });
    else
      notices.say(`${k.name} archived`, {
        undo: () =>
          void call('POST', '/api/person-kinds/{kind_id}/restore', { params: { path: { kind_id: k.id } } }).then(() =>
            kinds.load(),
          ),
      });
    void kinds.load();
  }

  let trying = $state(false);
  let sensor = $state<'camera' | 'thermal' | 'team' | 'dog'>('camera');
  let cover = $state('open');
  let aim = $state('');
  let light = $state('');
  let height = $state<number | null>(null);
  let speed = $state<number | null>(null);
  let passes = $state('');
  let trialBad = $state.raw<Problem | null>(null);
  async function keepTrial(e: SubmitEvent) {
    e.preventDefault();
    const { data, problem } = await call('POST', '/api/sweep-trials', {
      body: {
        of: { sensor, cover: cover as 'open', target: aim, height_m: height, speed_m_s: speed, light },
        passes: passesOf(passes),
      },
    });
    trialBad = problem;
    if (data) {
      trying = false;
      passes = '';
      void trials.load();
    }
  }
  async function archiveTrial(t: Schemas['SweepTrialOut']) {
    const { problem } = await call('DELETE', '/api/sweep-trials/{trial_id}', { params: { path: { trial_id: t.id } } });
    if (problem) notices.say(problem.detail, { bad: true });
    else
      notices.say('Trial archived: it counts no more', {
        undo: () =>
          void call('POST', '/api/sweep-trials/{trial_id}/restore', { params: { path: { trial_id: t.id } } }).then(() =>
            trials.load(),
          ),
      });
    void trials.load();
  }
  const SENSORS = [
    { value: 'camera', label: 'eye on the screen' },
    { value: 'thermal', label: 'thermal' },
    { value: 'team', label: 'team on foot' },
    { value: 'dog', label: 'dog' },
  ];
  const sensorWords = (s: string) => SENSORS.find((x) => x.value === s)?.label ?? s;
</script>

<div class="mx-auto max-w-337 px-6 py-6">
  <p class="m-0"><a href="/searches">Searches</a></p>
  <h1 class="mb-5">What searches count with</h1>
  <div class="grid grid-cols-2 items-start gap-8 max-tablet:grid-cols-1">
    <section aria-label="Kinds of person">
      <div class="mb-2 flex items-center gap-3">
        <h2 class="m-0 mr-auto">Kinds of person</h2>
        {#if tables}<button class="button" onclick={() => edit(null)}>Add a kind of person</button>{/if}
      </div>
      <p class="quiet mt-0 text-small">
        Within which distance of the last known point which share was found. Enter the table that your service goes by.
      </p>
      <Failed of={kinds} />
      {#if editing !== null}
        <form class="mb-3 flex flex-col gap-2 border-line border-rule bg-sheet p-4" onsubmit={keep}>
          <TextField
            label="Name"
            value={name}
            onchange={(v) => (name = v)}
            maxlength={60}
            problem={bad?.field === 'name' ? bad.detail : ''} />
          <label class="flex flex-col gap-1"
            >Share % and distance m, one pair a line<textarea class="input font-mono" rows="6" bind:value={table}></textarea
            ></label>
          <TextField label="Where the table is from" value={note} onchange={(v) => (note = v)} maxlength={200} />
          {#if bad && bad.field !== 'name'}<p class="problem m-0" role="alert">{bad.detail}</p>{/if}
          <div class="flex gap-2">
            <button class="button dark">Save</button>
            <button type="button" class="button" onclick={() => (editing = null)}>Cancel</button>
          </div>
        </form>
      {/if}
      {#each kinds.value ?? [] as k (k.id)}
        <div class="flex flex-wrap items-baseline gap-x-3 border-t border-rule py-2">
          <b>{k.name}</b>{#if k.example}<span class="text-copper">an example, made up</span>{/if}
          <span class="quiet mr-auto">{k.note}</span>
          {#if tables}<button class="button plain small" onclick={() => edit(k)}>Edit</button><button
              class="button plain small"
              onclick={() => void archive(k)}>Archive</button
            >{/if}
          <span class="w-full text-small tabular-nums"
            >{k.within
              .map(([s, m]) => `${percent(s as number)} within ${show(m as number, 'm', session.units, 0)}`)
              .join(' · ')}</span>
        </div>
      {:else}{#if kinds.value}<p class="quiet">No kind of person yet: rings need one.</p>{/if}{/each}
    </section>
    <section aria-label="Trials of sweep width">
      <div class="mb-2 flex items-center gap-3">
        <h2 class="m-0 mr-auto">Trials of sweep width</h2>
        {#if writable}<button class="button" onclick={() => (trying = !trying)}>Record a trial</button>{/if}
      </div>
      <p class="quiet mt-0 text-small">
        Lay targets out, pass them, and write for each how far to the side it lay and whether it was seen. The newest trial counts
        for its sensor and ground cover.
      </p>
      <Failed of={trials} />
      {#if trying}
        <form class="mb-3 flex flex-col gap-2 border-line border-rule bg-sheet p-4" onsubmit={keepTrial}>
          <Choice label="Sensor" value={sensor} options={SENSORS} onchange={(v) => (sensor = v as 'camera')} />
          <Choice label="Ground cover" value={cover} options={COVERS} onchange={(v) => (cover = v)} />
          <NumberField label="Height above ground" quantity="m" digits={0} value={height} onchange={(v) => (height = v)} />
          <NumberField label="Speed on the lines" quantity="m_s" value={speed} onchange={(v) => (speed = v)} />
          <TextField label="Target" value={aim} onchange={(v) => (aim = v)} maxlength={60} />
          <TextField label="Light, or warmer than the ground by" value={light} onchange={(v) => (light = v)} maxlength={60} />
          <label class="flex flex-col gap-1"
            >Metres to the side and yes or no, one target a line<textarea
              class="input font-mono"
              rows="8"
              placeholder="12 yes"
              bind:value={passes}></textarea
            ></label>
          {#if trialBad}<p class="problem m-0" role="alert">{trialBad.detail}</p>{/if}
          <div class="flex gap-2">
            <button class="button dark">Save trial</button>
            <button type="button" class="button" onclick={() => (trying = false)}>Cancel</button>
          </div>
        </form>
      {/if}
      {#each trials.value ?? [] as t (t.id)}
        <div class="border-t border-rule py-2">
          <div class="flex flex-wrap items-baseline gap-x-3">
            <b>{sensorWords(t.sensor)} over {t.cover}: {show(t.width_m, 'm', session.units, 0)}</b>
            <span
              >{show(t.low_m, 'm', session.units, 0)} to {show(t.high_m, 'm', session.units, 0)} in nine of ten such trials</span>
            {#if writable}<button class="button plain small ml-auto" onclick={() => void archiveTrial(t)}>Archive</button>{/if}
          </div>
          <p class="quiet m-0 text-small">
            {[
              t.target,
              t.height_m === null ? '' : `${show(t.height_m, 'm', session.units, 0)} high`,
              t.light,
              `${t.passes.length} passes`,
              `${shortDate(t.made_at)} by ${t.by}`,
            ]
              .filter(Boolean)
              .join(' · ')}
          </p>
          <TrialCurve passes={t.passes as [number, boolean][]} width={t.width_m} />
        </div>
      {:else}{#if trials.value}<p class="quiet">No trial yet: sweep widths are entered in a search, or assumed.</p>{/if}{/each}
    </section>
  </div>
</div>
