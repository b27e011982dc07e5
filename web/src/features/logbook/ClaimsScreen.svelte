<!-- What was claimed and what flights measured; what planning goes by now, and what it would go by if a lead accepts. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import { type Schemas } from '$shared/api/client';
  import { clock as dayClock, digits, hours, minutes } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import Why from '$shared/working/Why.svelte';
  import { clockOf, dayAndClock, lessonFigure, longDate, SUBJECTS, type Lesson } from './words/book';
  import MinutesRated from './components/MinutesRated.svelte';
  import LogbookNav from './components/LogbookNav.svelte';
  import Ratio from './components/Ratio.svelte';

  let claims = $state.raw<Schemas['ClaimsOut'] | null>(null);
  let failed = $state('');
  let problem = $state('');
  let busy = $state('');
  const may = $derived(session.may('calibrations:accept'));
  const ORDER = ['power', 'capacity', 'resistance', 'charge', 'swap'] as const;

  async function load() {
    const { data, problem: bad } = await call('GET', '/api/logbook/claims');
    failed = bad?.detail ?? '';
    if (data) claims = data;
  }
  void load();
  const keyOf = (l: Lesson) => `${l.subject}-${l.thing}-${l.thing_id ?? ''}`;
  const groups = $derived(
    ORDER.map((subject) => ({ subject, rows: claims?.lessons.filter((l) => l.subject === subject) ?? [] })).filter(
      (g) => g.rows.length,
    ),
  );

  async function accept(l: Lesson) {
    busy = keyOf(l);
    const { data, problem: bad } = await call('POST', '/api/logbook/calibrations', {
      body: { subject: l.subject, thing: l.thing, thing_id: l.thing_id, factor: l.factor! },
    });
    busy = '';
    problem = bad?.detail ?? '';
    if (data)
      notices.say(`Calibration ${data.number}: plans go by × ${digits(data.factor, 3)} for ${data.name} from now on.`, {
        undo: () => void back(data.number),
      });
    await load();
  }
  async function back(number: number) {
    const { data, problem: bad } = await call('POST', '/api/logbook/calibrations/{number}/roll-back', {
      params: { path: { number } },
    });
    problem = bad?.detail ?? '';
    if (data) notices.say(`Calibration ${number} is taken back. Plans are made anew without it.`);
    await load();
  }
  const clockIn = (d: Schemas['DayAgainstPlan'], s: number | null) => (s === null ? '—' : dayClock(clockOf(d.opens_at), s));
  const late = (a: number | null, b: number | null) =>
    a === null || b === null ? '' : Math.abs(a - b) < 60 ? 'on time' : `${a > b ? '+' : '−'}${hours(Math.abs(a - b))}`;
</script>

<div class="px-6 py-5">
  <LogbookNav title="Rated and measured" />
  {#if failed}<p class="problem" role="alert">{failed} <button class="button" onclick={load}>Try again</button></p>{/if}
  {#if problem}<p class="problem mb-3" role="alert">{problem}</p>{/if}
  {#if !claims}
    {#if !failed}<p class="quiet" role="status">Working out what flights teach …</p>{/if}
  {:else}
    {#each claims.minutes as m (m.aircraft_model + m.pack_model)}<MinutesRated minutes={m} />{/each}
    {#if claims.minutes.length}<p class="quiet mb-6 max-w-251 text-note">
        The middle flight counts, of the newest 200. A flight that used half a pack stands for a whole one by its minutes for each
        percent, above its knee and below it.
      </p>{/if}
    {#if !groups.length}
      <div class="rounded border-line border-dashed border-rule bg-sheet px-8 py-12 text-center">
        <h2 class="mb-2 text-title">Nothing teaches yet</h2>
        <p>Flights with a log of volts and current teach power, capacity and resistance; charges and days teach their times.</p>
        <a class="button mt-3" href="/logbook">Import logs</a>
      </div>
    {/if}
    {#each groups as g (g.subject)}
      <section class="mb-6" aria-label={SUBJECTS[g.subject].words}>
        <h2 class="mb-1">{SUBJECTS[g.subject].words}</h2>
        <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
        <div class="overflow-x-auto" tabindex="0" role="region" aria-label="{SUBJECTS[g.subject].words}, table">
          <table class="sheet-table bg-sheet" data-testid="lessons-{g.subject}">
            <thead
              ><tr
                ><th class="w-49">of</th><th class="w-29 !text-right">rated</th><th class="w-29 !text-right">measured</th><th
                  >measured ÷ rated, one mark a flight</th
                ><th class="w-43 !text-right">plans go by</th><th class="w-37 !text-right">flights say</th><th class="w-43"
                  ><span class="visually-hidden">what can be done</span></th
                ></tr
              ></thead>
            <tbody>
              {#each g.rows as l (keyOf(l))}
                <tr>
                  <td>
                    {l.thing === 'pack' ? 'pack ' : ''}<b>{l.name}</b>
                    <div class="quiet text-note">{l.thing === 'aircraft model' ? 'all of this model' : l.kind}</div>
                  </td>
                  <td class="text-right">{lessonFigure(l.claimed, l.unit)}</td>
                  <td class="text-right">{l.figures ? lessonFigure(l.claimed * l.figures.measured_ratio, l.unit) : '—'}</td>
                  <td><Ratio lesson={l} /></td>
                  <td class="text-right" data-testid="now">
                    {l.now_number === null ? 'as rated' : `× ${digits(l.now_factor, 3)}`}
                    <div class="quiet text-note">
                      {l.now_number === null ? '' : `calibration ${l.now_number}, `}{lessonFigure(
                        l.claimed * l.now_factor,
                        l.unit,
                      )}
                    </div>
                  </td>
                  <td class="text-right">
                    {#if l.factor !== null && l.figures}
                      <Why
                        text="× {digits(l.factor, 3)}"
                        name="{SUBJECTS[l.subject].words}, {l.name}"
                        given={l.figures.working} />
                      <div class="quiet text-note">{lessonFigure(l.claimed * l.factor, l.unit)}</div>
                    {:else}—{/if}
                  </td>
                  <td class="text-right">
                    {#if l.new && l.factor !== null}
                      <button
                        class="button small {l.figures?.noise ? '' : 'dark'}"
                        disabled={!may || busy === keyOf(l)}
                        onclick={() => accept(l)}>Plan by this</button>
                      {#if l.figures?.noise}<div class="quiet text-note">difference not significant</div>{/if}
                    {:else if l.now_number !== null}
                      <button class="button small plain" disabled={!may} onclick={() => back(l.now_number!)}>Take back</button>
                    {/if}
                  </td>
                </tr>
              {/each}
            </tbody>
          </table>
        </div>
      </section>
    {/each}
    {#if groups.length}<p class="quiet mb-6 max-w-251 text-note">
        A factor is drawn towards the rating while flights are few: one flight moves it little, twenty move it nearly all the way;
        press a number for its working. Nothing changes in any plan until a lead accepts it, and each plan then says which
        calibration it used.
        {may ? '' : 'Your role may look: an operations lead accepts.'}
      </p>{/if}
    <section class="mb-6" aria-label="Days">
      <h2 class="mb-1">Days, planned and real</h2>
      {#if claims.days.length}
        <p class="mb-2" data-testid="covered">
          {#if claims.covered_of}The time promised for nine days in ten was kept on <b>{claims.covered} of {claims.covered_of}</b>
            {claims.covered_of === 1 ? 'day' : 'days'}.
            {claims.covered_of < 10 ? 'Too few days to judge the promise.' : ''}{:else}No day with a promise has been closed yet.{/if}
        </p>
        <table class="sheet-table max-w-280 bg-sheet" data-testid="days">
          <thead
            ><tr
              ><th>day</th><th class="!text-right">sorties</th><th class="!text-right">in the air, planned</th><th
                class="!text-right">real</th
              ><th class="!text-right">last landing, planned</th><th class="!text-right">promised</th><th class="!text-right"
                >real</th
              ><th></th></tr
            ></thead>
          <tbody>
            {#each claims.days as d (d.day_id)}
              <tr>
                <td
                  ><a href="/days/{d.day_id}">{d.name}</a>
                  <div class="quiet text-note">{longDate(d.date)}, plan {d.plan_number}</div></td>
                <td class="text-right">{d.sorties} of {d.planned_sorties}</td>
                <td class="text-right">{minutes(d.planned_air_s)}</td>
                <td class="text-right">{minutes(d.air_s)}</td>
                <td class="text-right">{clockIn(d, d.planned_finish_s)}</td>
                <td class="text-right">{clockIn(d, d.promised_s)}</td>
                <td class="text-right font-semibold">{clockIn(d, d.finish_s)}</td>
                <td>{d.closed ? late(d.finish_s, d.planned_finish_s) : 'being flown'}</td>
              </tr>
            {/each}
          </tbody>
        </table>
      {:else}<p class="quiet">No day has been flown yet.</p>{/if}
    </section>
    <section aria-label="Calibrations">
      <h2 class="mb-1">What was accepted</h2>
      {#if claims.calibrations.length}
        <table class="sheet-table max-w-280 bg-sheet" data-testid="calibrations">
          <thead
            ><tr><th class="w-11.5"></th><th>of</th><th class="!text-right">factor</th><th>from</th><th>accepted</th><th></th></tr
            ></thead>
          <tbody>
            {#each claims.calibrations as c (c.number)}
              <tr class={c.rolled_back_at ? 'text-ink-2' : ''}>
                <td>{c.number}</td>
                <td>{SUBJECTS[c.subject].words.toLowerCase()}, {c.name}</td>
                <td class="text-right">× {digits(c.factor, 3)}</td>
                <td>{c.words}</td>
                <td>{dayAndClock(c.accepted_at)}, {c.accepted_by}</td>
                <td class="text-right">
                  {#if c.rolled_back_at}taken back {dayAndClock(c.rolled_back_at)}, {c.rolled_back_by}
                  {:else}<button class="button small" disabled={!may} onclick={() => back(c.number)}>Take back</button>{/if}
                </td>
              </tr>
            {/each}
          </tbody>
        </table>
      {:else}<p class="quiet">Nothing has been accepted: plans go by what the maker rates.</p>{/if}
    </section>
  {/if}
</div>
