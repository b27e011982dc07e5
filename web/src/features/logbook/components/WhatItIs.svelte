<!-- Which recorded flight a log is of, or which packs and aircraft; when it was, and what it carried. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { minutes } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import { dayAndClock } from '../words/book';

  interface Props {
    flight: Schemas['FlightPage'];
    change: (what: Partial<Schemas['FlightIn']>) => Promise<boolean>;
    problem: Problem | null;
  }
  let { flight, change, problem }: Props = $props();
  let fleet = $state.raw<Schemas['FleetOut'] | null>(null);
  let when = $state('');
  void call('GET', '/api/fleet').then(({ data }) => (fleet = data));
  const may = $derived(session.may('logs:read'));
  const at = (field: string) => (problem?.field === field ? problem.detail : '');
  const packs = $derived((fleet?.packs ?? []).filter((p) => !p.archived));
  const chosen = $derived(packs.find((p) => p.id === flight.packs[0]?.id));
  const sets = $derived([
    ...new Map(
      packs.map((p) => {
        const mates = p.mates ? packs.filter((q) => q.mates === p.mates && q.model_id === p.model_id) : [p];
        const ids = mates.map((q) => q.id).sort();
        return [
          ids.join(),
          {
            value: ids.join(),
            label: mates
              .map((q) => q.name)
              .sort()
              .join(' + '),
          },
        ] as const;
      }),
    ).values(),
  ]);
</script>

<div class="flex flex-col gap-3 text-small">
  {#if flight.began_at === null}
    <form
      class="flex flex-wrap items-end gap-3"
      onsubmit={(e) => {
        e.preventDefault();
        if (when) void change({ began_at: new Date(when).toISOString() });
      }}>
      <label class="flex flex-col gap-1"
        ><b>When did it take off?</b> <span class="quiet">The log only counts seconds.</span>
        <input
          class="input"
          type="datetime-local"
          step="60"
          bind:value={when}
          aria-invalid={at('began_at') ? 'true' : undefined} /></label>
      <button class="button dark" disabled={!may || !when}>Save</button>
      {#if at('began_at')}<p class="problem" role="alert">{at('began_at')}</p>{/if}
    </form>
  {:else}
    {#if flight.candidates.length && flight.match !== 'sure'}
      <b>{flight.match === 'asked' ? 'Which of these flights is it?' : 'It could be one of these.'}</b>
      <ul class="m-0 list-none p-0" data-testid="candidates">
        {#each flight.candidates as c (c.id)}
          <li class="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-rule py-1.5">
            <span><b>{c.words}</b>, {dayAndClock(c.began_at)}, {minutes(c.length_s)} min</span>
            <span class="quiet min-w-0 grow">{c.why}</span>
            <button class="button small" disabled={!may} onclick={() => change({ record: c.id })}>This one</button>
          </li>
        {/each}
        <li class="py-1.5">
          <button class="button small" disabled={!may} onclick={() => change({ record: '' })}>None of these</button>
        </li>
      </ul>
      {#if at('record')}<p class="problem" role="alert">{at('record')}</p>{/if}
    {:else if flight.match === 'sure'}
      <p>
        Time, length and pack agree with what was told. <button
          class="button small"
          disabled={!may}
          onclick={() => change({ record: '' })}>It is not that flight</button>
      </p>
    {/if}
    {#if flight.match !== 'asked'}
      <div class="flex max-w-160 flex-col gap-2">
        <Choice
          label="Packs"
          value={chosen ? (sets.find((s) => s.value.includes(chosen.id))?.value ?? '') : ''}
          empty="not known"
          disabled={!may}
          options={sets}
          problem={at('pack_ids')}
          onchange={(v) => v && change({ pack_ids: v.split(',') })} />
        <Choice
          label="Aircraft"
          value={flight.aircraft?.id ?? ''}
          empty="not known"
          disabled={!may}
          options={(fleet?.aircraft ?? []).filter((a) => !a.archived).map((a) => ({ value: a.id, label: a.name }))}
          problem={at('aircraft_id')}
          onchange={(v) => v && change({ aircraft_id: v })} />
        <NumberField
          label="Extra payload"
          unit="kg"
          digits={2}
          value={flight.payload_kg}
          disabled={!may}
          problem={at('payload_kg')}
          onchange={(v) => change({ payload_kg: v })} />
        <NumberField
          label="Air temperature"
          quantity="c"
          value={flight.air_c}
          disabled={!may}
          problem={at('air_c')}
          onchange={(v) => change({ air_c: v })} />
        {#if flight.serial}<p class="quiet text-note">The log calls the pack {flight.serial}.</p>{/if}
      </div>
    {/if}
  {/if}
</div>
