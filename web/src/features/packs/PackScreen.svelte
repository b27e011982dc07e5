<script lang="ts">
  import Later from '$shared/ui/Later.svelte';
  import { goto } from '$app/navigation';
  import { Dialog } from 'bits-ui';
  import { call } from '$shared/api/call';
  import { type Schemas } from '$shared/api/client';
  import { digits, hours, minutes, percent } from '$shared/format/units';
  import { CHEMISTRIES } from '$shared/format/words';
  import { date } from '$shared/format/dates';
  import { session } from '$shared/session.svelte';
  import { help } from '$shared/ui/help.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import Verdict, { INK, type Level } from '$shared/ui/Verdict.svelte';
  import Why from '$shared/working/Why.svelte';
  import LastTest from './components/LastTest.svelte';
  import LifeCore from './components/LifeCore.svelte';
  import RecordForm from './components/RecordForm.svelte';
  import { RECORDS, wordsOf, type FormKind } from './words/records';
  import { figureOf, limitsOf } from './words/verdict';
  import { recordOf, send, withdraw } from './state/shelf.svelte';
  import Trend from './components/Trend.svelte';

  type Page = Schemas['PackPage'];
  type Kept = Schemas['RecordOut'];
  type P = [number, number];
  let { id }: { id: string } = $props();
  let page = $state.raw<Page | null>(null);
  let failed = $state('');
  const currency = $derived(session.me?.currency ?? '');
  let form = $state.raw<{ kind: FormKind; wrong: Kept | null } | null>(null);
  let more = $state(40);
  const writable = $derived(session.may('packs:record'));
  const lead = $derived(session.may('packs:retire'));

  async function load() {
    const { data, problem } = await call('GET', '/api/packs/{pack_id}', { params: { path: { pack_id: id } } });
    failed = problem?.detail ?? '';
    if (data) page = data;
  }
  $effect(() => void load());

  function taken(answer: Schemas['RecordAnswer']) {
    form = null;
    page = answer.page;
    notices.say('Recorded', { undo: () => void back(answer.record.key, 'entered by mistake') });
  }
  async function back(key: string, words: string) {
    const { data, problem } = await withdraw(id, key, words);
    if (problem) notices.say(problem.detail, { bad: true });
    if (data) page = data.page;
  }
  async function takeBack(r: Kept) {
    const { data, problem } = await withdraw(id, r.key, 'entered by mistake');
    if (problem) notices.say(problem.detail, { bad: true });
    if (data) {
      page = data.page;
      notices.say('It no longer stands', { undo: () => void back(data.record.key, 'it was right after all') });
    }
  }
  async function done(task: Schemas['CareTaskOut']) {
    if (task.kind === 'load test') return goto(`/packs/${id}/test`);
    const { data, problem } = await send(id, recordOf('care', { task: task.kind }));
    if (problem) notices.say(problem.detail, { bad: true });
    if (data) taken(data);
  }
  async function retire() {
    const { problem } = await call('DELETE', '/api/fleet/packs/{thing_id}', { params: { path: { thing_id: id } } });
    if (problem) return notices.say(problem.detail, { bad: true });
    notices.say(`${page?.line.name} retired`, {
      undo: async () => {
        const back = await call('POST', '/api/fleet/packs/{thing_id}/restore', { params: { path: { thing_id: id } } });
        if (back.problem) notices.say(back.problem.detail, { bad: true });
        await load();
      },
    });
    await goto('/packs');
  }

  const chemistry = $derived(CHEMISTRIES.find((c) => c.value === page?.model.chemistry)?.label ?? '');
  const level = $derived((page?.line.level ?? 'in service') as Level);
  const readings = $derived(page?.resistance ?? []);
  const first = $derived(page?.first_ohm ?? 0);
  const cellLines = $derived(
    (readings.at(-1)?.cell_ohm ?? []).map((_, k) => ({
      name: `cell ${k + 1}`,
      strong: k + 1 === page?.worst_cell,
      points: readings.filter((r) => r.cell_ohm.length > k).map((r): P => [r.cycles, r.cell_ohm[k]! * 1000]),
    })),
  );
  const capacity = $derived((page?.capacity ?? []).map((c): P => [c.cycles, 100 * c.health_frac]));
  /** The robust line goes on to its limit, its likely range as a band; only where the data carry it. */
  const ahead = $derived.by(() => {
    const a = page?.capacity_ahead;
    const end = capacity.at(-1);
    const limit = page?.capacity_limits.replace;
    if (!a || !end || !limit) return null;
    const share = ([cycles, frac]: P): P => [cycles, 100 * frac];
    const to = (p: P): P[] => [share(a.start), share(p)];
    const words = page?.forecast.limited_by === 'capacity' ? `${percent(limit)} in ${page.forecast.words}` : '';
    return { from: end, middle: to(a.middle), low: to(a.low), high: to(a.high), words };
  });
  const test = $derived(page?.tests.filter((t) => t.cell_v.length).at(-1));
  const day = (t: string) => date(t);
  const money = (v: number) => `${currency}${v.toFixed(v < 1 ? 3 : 2)}`;
  const measured = (r: Schemas['RuleOut']) => (typeof r.measured === 'number' ? figureOf(r.measured, r.unit) : r.measured);
  $effect(() =>
    help.offer('pack', [
      {
        id: 'test',
        label: 'Load test',
        keys: 'T',
        run: () => writable && page?.line.level !== 'grounded' && goto(`/packs/${id}/test`),
      },
      { id: 'record', label: 'Record something', keys: 'R', run: () => writable && (form = { kind: 'flight', wrong: null }) },
      { id: 'ground', label: 'Ground pack', keys: 'G', run: () => writable && (form = { kind: 'grounding', wrong: null }) },
      { id: 'shelf', label: 'Back to packs', keys: 'Escape', run: () => goto('/packs') },
    ]),
  );
</script>

{#if failed}
  <p class="problem p-6" role="alert">{failed} <a class="button" href="/packs">All packs</a></p>
{:else if !page}
  <p class="quiet p-6" role="status">Fetching the pack …</p>
{:else}
  {@const p = page.line}
  <div class="grid min-h-[calc(100dvh-68px)] grid-cols-[minmax(0,1fr)_308px] max-narrow:grid-cols-1">
    <div class="min-w-0 px-6 py-5">
      <div class="mb-4 flex flex-wrap items-center gap-x-5 gap-y-3">
        <h1 class="!text-call leading-none">{p.name}</h1>
        <div class="quiet text-small leading-snug">
          {page.model.name}, {page.model.cells} cells{page.model.parallel > 1 ? ` × ${page.model.parallel}` : ''}, {chemistry}<br />
          {page.model.capacity_ah} Ah, {page.model.rated_wh.toFixed(0)} Wh{page.pack.bought_on
            ? `, bought ${day(page.pack.bought_on)}`
            : ''}
        </div>
        <div class="border-l border-rule pl-5">
          <div class="flex items-center gap-3">
            <Verdict {level} size={30} word={false} />
            <span class="sharp text-page leading-none {INK[level]}">
              <Why text={p.level[0]!.toUpperCase() + p.level.slice(1)} name="verdict" of="packs" {id} key="verdict" />
            </span>
          </div>
          <div class="mt-1 max-w-71 text-small leading-snug">{p.words}</div>
        </div>
        <div class="ml-auto flex gap-2">
          {#if p.level === 'grounded' && p.may_override && lead}<button
              class="button"
              onclick={() => (form = { kind: 'release', wrong: null })}>Release it</button
            >{:else if p.level !== 'grounded'}<button
              class="button"
              disabled={!writable}
              onclick={() => (form = { kind: 'grounding', wrong: null })}>Ground pack</button
            >{/if}
          <button class="button" disabled={!writable} onclick={() => (form = { kind: 'flight', wrong: null })}>Record</button>
          {#if writable && p.level !== 'grounded'}<a class="button dark" href="/packs/{id}/test">Load test</a>{/if}
        </div>
      </div>
      <div class="grid grid-cols-[190px_minmax(0,1fr)] gap-6 max-tablet:grid-cols-1">
        <section class="min-w-0 max-tablet:hidden">
          <h2 class="mb-2">Its life, newest on top</h2>
          {#if page.life.beds.length || page.life.marks.length}<Later><LifeCore life={page.life} /></Later>
          {:else}<p class="quiet text-small">No flights recorded yet.</p>{/if}
        </section>
        <div class="min-w-0">
          {#if page.rules.length}
            <table class="sheet-table rules" data-testid="rules">
              <thead
                ><tr
                  ><th class="w-7"></th><th>why</th><th>limit</th><th class="max-laptop:hidden">source</th><th class="!text-right"
                    >measured</th
                  ></tr
                ></thead>
              <tbody>
                {#each page.rules as r (r.name)}
                  <tr>
                    <td
                      ><Verdict level={r.level as Level} size={16} word={false} /><span class="visually-hidden">{r.level}</span
                      ></td>
                    <td class="font-semibold">{r.name[0]!.toUpperCase() + r.name.slice(1)}</td>
                    <td class="text-small whitespace-nowrap">{limitsOf(r)}</td>
                    <td class="quiet text-note max-laptop:hidden">{r.source.split(',')[0]}</td>
                    <td class="text-right whitespace-nowrap {r.level === 'in service' ? '' : INK[r.level as Level]}"
                      ><Why margin text={measured(r)} name={r.name} of="packs" {id} key="rule.{r.name}" /></td>
                  </tr>
                {/each}
              </tbody>
            </table>
          {:else}<p class="quiet rounded border-line border-dashed border-rule bg-sheet px-5 py-6">
              Nothing has been measured yet. A load test and the first charges tell what it can do.
            </p>{/if}
          <Later>
            <div class="mt-5 grid grid-cols-2 gap-x-7 gap-y-5 max-laptop:grid-cols-1">
              <section class="min-w-0">
                <h2 class="mb-1">Resistance by cell <span class="quiet text-note font-normal">mΩ, brought to 25 °C</span></h2>
                <Trend
                  label="Resistance of each cell over cycles"
                  series={cellLines}
                  unit="mΩ"
                  limit={page.resistance_limits.replace && first
                    ? {
                        value: page.resistance_limits.replace * first * 1000,
                        words: `${page.resistance_limits.replace} × as first read`,
                        below: false,
                      }
                    : null}
                  watch={first ? page.resistance_limits.watch * first * 1000 : null}
                  empty="Two readings by a meter draw the first line." />
              </section>
              <section class="min-w-0">
                <h2 class="mb-1">
                  Capacity by charge-back <span class="quiet text-note font-normal">% of {page.model.capacity_ah} Ah</span>
                </h2>
                <Trend
                  label="Capacity over cycles with its forecast"
                  series={[{ name: 'capacity', points: capacity, strong: true }]}
                  unit="%"
                  dots
                  limit={page.capacity_limits.replace
                    ? {
                        value: 100 * page.capacity_limits.replace,
                        words: `limit ${percent(page.capacity_limits.replace)}`,
                        below: true,
                      }
                    : null}
                  watch={100 * page.capacity_limits.watch}
                  {ahead}
                  empty="Record what a charge put back, with the percent before and after." />
              </section>
              <section class="min-w-0">
                <h2 class="mb-1">
                  Last load test <span class="quiet text-note font-normal"
                    >{test ? `V, ${day(test.at)}, ${test.verdict}` : ''}</span>
                </h2>
                {#if test}<LastTest {test} levels={page.test_levels} />
                {:else}<p class="quiet rounded border-line border-dashed border-rule bg-sheet px-4 py-8 text-center text-small">
                    {page.test_levels.good
                      ? 'Not tested cell by cell yet.'
                      : `The usual levels say nothing of ${page.chemistry}.`}
                  </p>{/if}
              </section>
              <section class="min-w-0">
                <h2 class="mb-1">What it gives and costs</h2>
                <table class="sheet-table">
                  <tbody>
                    <tr
                      ><td>Cycles left</td><td class="text-right"
                        ><Why
                          text={page.forecast.cycles_left === null ? 'not known' : page.forecast.words}
                          name="cycles left"
                          of="packs"
                          {id}
                          key="forecast" /></td
                      ></tr>
                    {#if page.forecast.cycles_left === null}<tr
                        ><td colspan="2" class="quiet text-small">{page.forecast.words}</td></tr
                      >{/if}
                    <tr
                      ><td
                        >Flown, as recorded; <a href="/logbook?by=pack&q={encodeURIComponent(page.line.name)}">flights</a>,
                        <a href="/logbook/compare?pack={page.line.id}">discharge curves</a></td
                      ><td class="text-right font-semibold">{page.flights} flights, {hours(page.flown_s)}</td></tr>
                    {#if page.true_a}<tr
                        ><td>Current it can bear</td><td class="text-right"
                          ><Why
                            text="{page.true_a.toFixed(0)} A, {page.true_c?.toFixed(1)} C"
                            name="sustainable current"
                            of="packs"
                            {id}
                            key="current" />
                          {#if page.model.label_c}<span class="quiet text-note">label {page.model.label_c} C</span>{/if}</td
                        ></tr
                      >{/if}
                    {#if page.money}
                      <tr><td>Bought for</td><td class="text-right font-semibold">{currency}{digits(page.money.price)}</td></tr>
                      {#if page.money.so_far !== null}<tr
                          ><td>Each minute so far</td><td class="text-right"
                            ><Why text={money(page.money.so_far)} name="money so far" of="packs" {id} key="money" /></td
                          ></tr
                        >{/if}
                      {#if page.money.over_life !== null}<tr
                          ><td>Each minute over its life</td><td class="text-right font-semibold"
                            ><Why
                              text={money(page.money.over_life)}
                              name="money over its life"
                              of="packs"
                              {id}
                              key="money.life" /></td
                          ></tr
                        >{/if}
                    {:else}<tr><td colspan="2" class="quiet text-small">No price is entered for it or its model.</td></tr>{/if}
                    {#if page.warranty}<tr
                        ><td>Warranty</td><td class="text-right" data-testid="warranty"
                          ><b>{page.warranty.words}</b>
                          <span class="quiet block text-note"
                            >{page.warranty.replace_until ? `replaced until ${day(page.warranty.replace_until)}` : ''}{page
                              .warranty.replace_until && page.warranty.prorata_until
                              ? ', '
                              : ''}{page.warranty.prorata_until ? `pro rata until ${day(page.warranty.prorata_until)}` : ''}</span
                          ></td
                        ></tr
                      >{/if}
                  </tbody>
                </table>
                {#if page.depth}
                  <h3 class="mb-1 mt-4">
                    How deep to use it <a class="text-note font-normal" href="/policy">reserve under Policy</a>
                  </h3>
                  <table class="sheet-table text-small" data-testid="depth">
                    <thead
                      ><tr
                        ><th>Used</th><th class="text-right">Flights</th><th class="text-right">One flight</th><th
                          class="text-right">Over its life</th
                        ><th class="text-right">A minute</th></tr
                      ></thead>
                    <tbody>
                      {#each page.depth.rows as r (r.used_frac)}<tr
                          ><td>{percent(r.used_frac)}</td><td class="text-right">{digits(r.flights_count)}</td><td
                            class="text-right">{minutes(r.flight_s)} min</td
                          ><td class="text-right">{hours(r.life_s)}</td><td class="text-right"
                            >{r.per_minute == null ? '' : money(r.per_minute)}</td
                          ></tr
                        >{/each}
                    </tbody>
                  </table>
                  <p class="quiet m-0 text-note">Cycles by {page.depth.rests_on}.</p>
                {/if}
              </section>
            </div>
            <section class="mt-6">
              <h2 class="mb-1">
                Records <span class="quiet text-note font-normal"
                  >{page.records_count} records; a wrong one is corrected, never erased</span>
              </h2>
              {#if !page.records.length}<p class="quiet py-3">Nothing recorded yet.</p>{:else}
                <table class="sheet-table text-small" data-testid="records">
                  <tbody>
                    {#each page.records.slice(0, more) as r (r.key)}
                      <tr class={r.stands ? '' : 'quiet line-through'}>
                        <td class="w-26 whitespace-nowrap !py-1.5">{day(r.at)}</td>
                        <td class="w-24 font-semibold !py-1.5">{r.kind}</td>
                        <td class="!py-1.5"
                          >{wordsOf(r, session.units)}{#if (r.figures as Record<string, unknown>).photo}<a
                              class="ml-2"
                              href="/api/packs/photos/{(r.figures as Record<string, unknown>).photo}"
                              target="_blank"
                              rel="noreferrer"
                              ><img
                                class="inline-block h-10 rounded border border-rule align-middle"
                                loading="lazy"
                                alt="What was seen"
                                src="/api/packs/photos/{(r.figures as Record<string, unknown>).photo}" /></a
                            >{/if}</td>
                        <td class="quiet whitespace-nowrap !py-1.5">{r.who}</td>
                        <td class="whitespace-nowrap !py-0 text-right no-underline">
                          {#if r.stands && writable && r.kind !== 'withdrawal'}
                            {#if r.kind in RECORDS}<button
                                class="button plain small"
                                onclick={() => (form = { kind: r.kind as FormKind, wrong: r })}>Correct</button
                              >{/if}
                            <button class="button plain small" onclick={() => takeBack(r)}>Take back</button>
                          {:else if !r.stands}<span class="visually-hidden">no longer stands</span>{/if}
                        </td>
                      </tr>
                    {/each}
                  </tbody>
                </table>
                {#if page.records.length > more}<button class="button mt-2" onclick={() => (more += 80)}>Show more</button>{/if}
              {/if}
            </section>
          </Later>
        </div>
      </div>
    </div>
    <aside class="border-l-line border-ink px-5 py-5 max-narrow:border-t-line max-narrow:border-l-0">
      <div class="mb-2 flex items-baseline justify-between">
        <h2>Label</h2>
        <span
          ><a href="/api/packs/labels.pdf?ids={id}&size=sheet" target="_blank">sheet</a> ·
          <a href="/api/packs/labels.pdf?ids={id}&size=roll" target="_blank">roll</a></span>
      </div>
      <div class="rounded border-line border-ink bg-field p-4">
        <div class="flex items-baseline justify-between">
          <span class="sharp text-large leading-none">{p.name}</span><span class="quiet text-note"
            >{page.model.cells} cells · {page.model.rated_wh.toFixed(0)} Wh</span>
        </div>
        {#if p.level === 'grounded'}<div class="problem mt-2 text-lead">Grounded: do not fly, do not charge</div>
        {:else if page.label.hard_s !== null && page.label.gentle_s !== null}
          <div class="mt-2 text-lead">
            high load <Why
              text="{Math.floor(page.label.hard_s / 60)} min"
              name="minutes on the label"
              of="packs"
              {id}
              key="label" />, low load
            <Why text="{Math.floor(page.label.gentle_s / 60)} min" name="minutes on the label" of="packs" {id} key="label" />
          </div>
        {:else}<div class="quiet mt-2 text-small">Minutes follow from the first flights and charges.</div>{/if}
        <div class="mt-1 text-small">
          land at {percent(page.label.shown_frac)} on its screen<br />
          {#if page.label.alarms}alarms {page.label.alarms.first_v.toFixed(1)} V and {page.label.alarms.second_v.toFixed(1)} V{page
              .label.alarms.proven
              ? ''
              : ', not proven'}
          {:else}alarm levels not set{/if}
        </div>
      </div>
      <h2 class="mt-6 mb-1">Care</h2>
      {#if !p.tasks.length}<p class="quiet text-small">Nothing is due.</p>{/if}
      {#each p.tasks as t (t.kind)}
        <div class="grid grid-cols-[1fr_auto] gap-2 border-b border-rule py-2">
          <div>
            <b>{t.kind}</b>
            <div class="text-note leading-snug">{t.words}</div>
          </div>
          <button class="button self-start" disabled={!writable} onclick={() => done(t)}
            >{t.kind === 'load test' ? 'Test' : 'Done'}</button>
        </div>
      {/each}
      {#if page.set}
        <h2 class="mt-6 mb-1">Set {page.set.mates}</h2>
        <p class="text-small">
          {page.set.packs.join(' + ')}: <Verdict level={page.set.level as Level} size={14} /><br /><Why
            text={page.set.words}
            name="set"
            given={page.set.working} />
        </p>
      {/if}
      <h2 class="mt-6 mb-1">At the charger</h2>
      <a class="button w-full {p.level === 'grounded' ? 'pointer-events-none opacity-60' : ''}" href="/packs/charging?pack={id}"
        >{page.charging
          ? `On ${page.charging.charger || 'a charger'}, port ${page.charging.port}`
          : 'Charge it, step by step'}</a>
      <h2 class="mt-6 mb-1">On the way</h2>
      <p class="text-small">
        {page.transport.energy_wh.toFixed(0)} Wh: {page.transport.words}
        {#if page.transport.too_full}<b class="text-copper">Now at {percent(p.charge_frac)}: too full for that.</b>{/if}
      </p>
      {#if page.pack.serial || page.pack.notes || page.model.fits || page.pack.warranty_until}
        <h2 class="mt-6 mb-1">Register</h2>
        <p class="text-small">
          {#each [page.pack.serial && `serial ${page.pack.serial}`, page.model.fits, page.model.mass_kg && `${page.model.mass_kg} kg`, page.pack.warranty_until && `warranty until ${day(page.pack.warranty_until)}`, page.pack.notes].filter(Boolean) as w, k (k)}{w}<br />{/each}
        </p>
      {/if}
      <div class="mt-6 flex flex-wrap gap-2">
        <a class="button" href="/fleet?of=packs&edit={id}">Edit the register</a>
        {#if lead}<button class="button" onclick={retire}>Retire it</button>{/if}
      </div>
    </aside>
  </div>

  <Dialog.Root bind:open={() => !!form, (o) => !o && (form = null)}>
    <Dialog.Portal>
      <Dialog.Overlay class="veil" />
      <Dialog.Content class="dialog" aria-describedby={undefined}>
        <Dialog.Title class="sharp mb-3 text-head"
          >{form?.wrong ? `Correct the ${form.wrong.kind} of ${day(form.wrong.at)}` : `Record of ${p.name}`}</Dialog.Title>
        {#if form}{#key form}<RecordForm
              {id}
              cells={page.model.cells}
              kind={form.kind}
              wrong={form.wrong}
              {lead}
              done={taken}
              leave={() => (form = null)} />{/key}{/if}
      </Dialog.Content>
    </Dialog.Portal>
  </Dialog.Root>
{/if}

<style>
  .rules td {
    padding-top: 5px;
    padding-bottom: 5px;
  }
</style>
