<!-- Charging at the bench: steps in order against what the charger shows; begun and ended by one tap each. -->
<script lang="ts">
  import { page } from '$app/state';
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { hours } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import Why from '$shared/working/Why.svelte';
  import { arranged, shelf, withdraw } from './state/shelf.svelte';

  type Steps = Schemas['BenchOut'];
  type Charging = Schemas['ChargingOut'];
  type Goal = Schemas['BenchIn']['goal'];
  let fleet = $state.raw<Schemas['FleetOut'] | null>(null);
  let pack = $state(page.url.searchParams.get('pack') ?? '');
  let goal = $state<Goal>('full');
  let rate = $state(1);
  let warm = $state<number | null>(null);
  let place = $state('');
  let steps = $state.raw<Steps | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let ticked = $state<number[]>([]);
  let ending = $state.raw<Charging | null>(null);
  let endTick = $state<number[]>([]);
  let putBack = $state<number | null>(null);
  let to = $state<number | null>(null);
  let hot = $state<number | null>(null);
  let now = $state(Date.now());
  const writable = $derived(session.may('packs:record'));
  void shelf.load();
  void call('GET', '/api/fleet').then((a) => (fleet = a.data));
  $effect(() => {
    const t = setInterval(() => (now = Date.now()), 20_000);
    return () => clearInterval(t);
  });
  const charging = $derived(shelf.shelf?.charging ?? []);
  const packs = $derived(
    arranged(shelf.shelf?.packs ?? [], '', '', [], 'name').filter(
      (p) => p.level !== 'grounded' && !charging.some((c) => c.pack_id === p.id),
    ),
  );
  const ports = $derived(
    (fleet?.chargers ?? []).flatMap((c) => {
      const n = fleet?.charger_models.find((m) => m.id === c.model_id)?.ports ?? 1;
      return Array.from({ length: n }, (_, k) => ({ value: `${c.id}/${k + 1}`, label: `${c.name}, port ${k + 1}` })).filter(
        (o) => !charging.some((b) => `${b.charger_id}/${b.port}` === o.value),
      );
    }),
  );
  const body = $derived({
    goal,
    rate_c: rate,
    pack_c: warm,
    charger_id: place ? place.split('/')[0]! : null,
    port: place ? Number(place.split('/')[1]) : 1,
  });
  $effect(() => {
    const sent = body;
    const of = pack;
    ticked = [];
    if (!of) {
      steps = null;
      problem = null;
      return;
    }
    void call('POST', '/api/packs/{pack_id}/bench', { params: { path: { pack_id: of } }, body: sent }).then((a) => {
      if (of !== pack) return;
      steps = a.data;
      problem = a.problem;
    });
  });
  const at = (...names: string[]) => (problem && names.includes(problem.field) ? problem.detail : '');

  async function begin() {
    const { data, problem: bad } = await call('POST', '/api/packs/{pack_id}/charges', {
      params: { path: { pack_id: pack } },
      body,
    });
    problem = bad;
    if (!data) return;
    notices.say(`${data.pack} is on charge`, { undo: () => void cancel(data) });
    pack = '';
    place = '';
    await shelf.load();
  }
  async function cancel(c: Charging) {
    const { problem: bad } = await call('DELETE', '/api/packs/charges/{charging_id}', {
      params: { path: { charging_id: c.id } },
    });
    if (bad && bad.status !== 204) notices.say(bad.detail, { bad: true });
    await shelf.load();
  }
  function startEnd(c: Charging) {
    ending = c;
    endTick = [];
    putBack = to = hot = null;
  }
  async function end(c: Charging) {
    const { data, problem: bad } = await call('POST', '/api/packs/charges/{charging_id}/end', {
      params: { path: { charging_id: c.id } },
      body: { to_frac: to, put_back_ah: putBack, most_c: hot },
    });
    problem = bad;
    if (!data) return;
    ending = null;
    notices.say(`${c.pack}: charge kept`, {
      undo: async () => {
        await withdraw(c.pack_id, data.key, 'entered by mistake');
        await shelf.load();
      },
    });
    await shelf.load();
  }
  const OFF = [
    'Stop the charger, wait until the current is zero',
    'Unplug the balance lead, then the main lead',
    'Feel it: warm is fit, hot is not',
    'Note the charge put back',
    'Charger off, after the last pack',
  ];
  const tick = (list: number[], k: number) => (list.includes(k) ? list.filter((n) => n !== k) : [...list, k]);
  const since = (t: string) => hours((now - new Date(t).getTime()) / 1000);
</script>

<div class="mx-auto max-w-320 px-6 py-5">
  <div class="mb-4 flex flex-wrap items-end gap-3">
    <h1 class="mr-auto">Charging at the bench</h1>
    <a class="button" href="/packs">Back to packs</a>
  </div>
  <p class="mb-4 max-w-217 text-small">
    Never leave a charge alone. Sand or a lid at hand, the way out free. The manuals of pack and charger take precedence over
    these steps.
  </p>
  <div class="grid grid-cols-[minmax(0,1fr)_minmax(0,1.25fr)] gap-8 max-tablet:grid-cols-1">
    <section>
      <h2 class="mb-2">On charge now</h2>
      {#if !shelf.shelf}<p class="quiet" role="status">Looking …</p>
      {:else if !charging.length}<p class="quiet rounded border-line border-dashed border-rule bg-sheet px-5 py-6">
          No pack is on charge.
        </p>{/if}
      {#each charging as c (c.id)}
        <div class="mb-3 rounded border-line border-ink bg-sheet p-4" data-testid="charging">
          <div class="flex items-center gap-4">
            <svg width="34" height="44" aria-hidden="true"
              ><rect x=".7" y=".7" width="32.6" height="42.6" fill="url(#p-charging)" stroke="var(--ink)" /><circle
                cx="17"
                cy="22"
                r="10"
                fill="var(--sheet)"
                stroke="var(--ink)" /><text x="17" y="27" text-anchor="middle" font-size="14" font-weight="650" fill="var(--ink)"
                >{c.port}</text
              ></svg>
            <div class="grow">
              <span class="sharp text-page">{c.pack}</span>
              <div class="quiet text-small">
                {c.charger || 'any charger'}, port {c.port} · to {c.goal} · {c.rate_c} C · for {since(c.began_at)}
              </div>
            </div>
            {#if ending?.id !== c.id}<button class="button dark !min-h-tap" disabled={!writable} onclick={() => startEnd(c)}
                >It is done</button
              >{/if}
          </div>
          {#if ending?.id === c.id}
            <ol class="m-0 mt-3 list-none p-0">
              {#each OFF as o, k (k)}<li class="border-b border-rule">
                  <label class="flex min-h-touch items-center gap-3"
                    ><input
                      type="checkbox"
                      class="size-5"
                      checked={endTick.includes(k)}
                      onchange={() => (endTick = tick(endTick, k))} />{o}</label>
                </li>{/each}
            </ol>
            <div class="mt-3 flex flex-col gap-2">
              <NumberField
                label="Put back"
                hint="(as the charger shows)"
                unit="mAh"
                scale={1000}
                digits={0}
                value={putBack}
                onchange={(v) => (putBack = v)}
                problem={at('put_back_ah')} />
              <NumberField
                label="Charge now"
                hint={c.goal === 'storage' ? '(if not at storage)' : '(if not full)'}
                unit="%"
                scale={100}
                digits={0}
                value={to}
                onchange={(v) => (to = v)}
                problem={at('to_frac')} />
              <NumberField
                label="Warmest"
                hint="(if felt)"
                quantity="c"
                digits={0}
                value={hot}
                onchange={(v) => (hot = v)}
                problem={at('most_c')} />
            </div>
            <div class="mt-3 flex justify-end gap-3">
              <button class="button" onclick={() => (ending = null)}>Not yet</button>
              <button class="button" onclick={() => cancel(c)}>Was never charged</button>
              <button class="button dark !min-h-tap" onclick={() => end(c)}>Off and kept</button>
            </div>
          {/if}
        </div>
      {/each}
    </section>
    <section>
      <h2 class="mb-2">Put a pack on</h2>
      <div class="flex max-w-131 flex-col gap-2">
        <Choice
          label="Pack"
          value={pack}
          empty="choose"
          options={packs.map((p) => ({ value: p.id, label: `${p.name}, ${p.model}` }))}
          onchange={(v) => (pack = v)}
          problem={at('pack')} />
        <Choice
          label="Charger and port"
          value={place}
          empty="any"
          options={ports}
          onchange={(v) => (place = v)}
          problem={at('port')} />
        <Choice
          label="To"
          value={goal}
          options={[
            { value: 'full', label: 'full, balanced' },
            { value: 'storage', label: 'storage charge' },
            { value: 'balance', label: 'balance only' },
          ]}
          onchange={(v) => (goal = v as Goal)} />
        <NumberField label="Rate" unit="C" value={rate} onchange={(v) => (rate = v)} problem={at('rate_c_count')} />
        <NumberField
          label="Pack is at"
          hint="(if known)"
          quantity="c"
          digits={0}
          value={warm}
          onchange={(v) => (warm = v)}
          problem={at('pack_c')} />
      </div>
      {#if problem && !at('pack', 'port', 'rate_c_count', 'pack_c', 'put_back_ah', 'to_frac', 'most_c')}<p
          class="problem mt-3"
          role="alert">
          {problem.detail}
        </p>{/if}
      {#if !pack}<p class="quiet mt-4">Choose a pack: the settings that it needs follow.</p>
      {:else if steps}
        {#each steps.cautions.slice(1) as c, nth (nth)}<p class="problem mt-3">{c}</p>{/each}
        <ol class="m-0 mt-4 list-none p-0" data-testid="steps">
          {#each steps.on as s, k (k)}
            <li class="border-b border-rule">
              <label class="grid min-h-touch cursor-pointer grid-cols-[28px_1fr_auto] items-center gap-3 py-1.5">
                <input type="checkbox" class="size-5" checked={ticked.includes(k)} onchange={() => (ticked = tick(ticked, k))} />
                <span
                  ><b>{k + 1}.</b>
                  {s.do}{#if s.why}<span class="quiet ml-1.5 text-note">· {s.why}</span>{/if}</span>
                {#if s.shown}<span class="sharp text-title"
                    >{#if s.do === 'Set the current'}<Why
                        text={s.shown}
                        name="current of the charge"
                        given={steps.working} />{:else}{s.shown}{/if}</span
                  >{/if}
              </label>
            </li>
          {/each}
        </ol>
        <button
          class="button dark mt-4 !min-h-tap-large w-full text-title"
          disabled={!writable || ticked.length < steps.on.length}
          onclick={begin}
          >{ticked.length < steps.on.length ? `${steps.on.length - ticked.length} steps to go` : 'It charges'}</button>
      {/if}
    </section>
  </div>
</div>
