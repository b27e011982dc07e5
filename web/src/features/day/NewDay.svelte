<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { call } from '$shared/api/call';
  import { toProblem } from '$shared/ui/toProblem';
  import { type Problem } from '$shared/api/client';
  import { resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import TextField from '$shared/ui/TextField.svelte';

  const zone = session.me?.time_zone || Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC';
  const tomorrow = new Date(Date.now() + 24 * 3600 * 1000);
  let name = $state('Field day');
  let date = $state(new Intl.DateTimeFormat('sv-SE', { timeZone: zone }).format(tomorrow));
  const defaults = resource(() => call('GET', '/api/policy/defaults'));
  /** A time of day of so many hours. */
  const timeOf = (h: number | undefined) =>
    h === undefined ? '' : new Date(Math.round(h * 3600) * 1000).toISOString().slice(11, 16);
  const usual = (key: string) => timeOf(defaults.value?.find((d) => d.key === key)?.value);
  // What was typed stands whenever the usual hours arrive.
  let typed = $state({ opens: '', closes: '' });
  const opens = $derived(typed.opens || usual('day.opens_h'));
  const closes = $derived(typed.closes || usual('day.closes_h'));
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);
  const wanted = page.url.searchParams.get('job');

  // A new day starts from the whole fleet as it stands, with the usual figures: what stays at home is unticked later.
  async function make(e: SubmitEvent) {
    e.preventDefault();
    const sheet = e.currentTarget as HTMLFormElement;
    busy = true;
    const { data, problem: bad } = await call('POST', '/api/days', {
      body: {
        name,
        date,
        opens,
        closes,
        time_zone: zone,
        jobs: wanted ? [{ job_id: wanted, aircraft_id: null }] : [],
      },
    });
    busy = false;
    problem = bad;
    if (data) await goto(`/days/${data.day.id}`);
    else await toProblem(sheet);
  }
  const at = (field: string) => (problem?.field === field ? problem.detail : '');
</script>

<div class="mx-auto max-w-149 px-6 py-8">
  <h1 class="mb-5">Make a day</h1>
  <form class="flex flex-col gap-4" onsubmit={make}>
    <TextField label="What is it called?" live value={name} onchange={(v) => (name = v)} problem={at('name')} />
    <TextField label="Date" type="date" live value={date} onchange={(v) => (date = v)} problem={at('date')} />
    <div class="grid grid-cols-2 gap-4">
      <TextField label="Start" type="time" live value={opens} onchange={(v) => (typed.opens = v)} problem={at('opens')} />
      <TextField label="End" type="time" live value={closes} onchange={(v) => (typed.closes = v)} problem={at('closes')} />
    </div>
    <p class="quiet">
      It starts with the serviceable packs that its job needs (all, where it has no job yet), at the charge noted for them, all
      chargers and the first supply. Jobs, packs and breaks are set on the next screen.
    </p>
    {#if problem && !['name', 'date', 'opens', 'closes'].includes(problem.field)}<p class="problem" role="alert">
        {problem.detail}
      </p>{/if}
    <button class="button dark self-start" disabled={busy || !name.trim() || !date || !opens || !closes}
      >{busy ? 'Making it …' : 'Make the day'}</button>
  </form>
</div>
