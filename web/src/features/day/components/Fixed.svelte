<!-- What people have fixed: the plan adapts around it and says what it costs; each can be taken back. -->
<script lang="ts">
  import { hours } from '$shared/format/units';
  import { notices } from '$shared/ui/notices.svelte';
  import type { DayPlan, DayState } from '../state/day.svelte';
  import { pin, withPin, wordsOf, type Pin } from '../words/pins';

  let { planner, plan, writable }: { planner: DayState; plan: DayPlan | null; writable: boolean } = $props();
  const day = $derived(planner.day!);
  let kind = $state<Pin['kind']>('set');
  let flight = $state('');
  let set = $state('');
  let port = $state(1);
  let from = $state('10:00');
  let to = $state('10:30');
  const flights = $derived((plan?.flights ?? []).map((f) => f.flight));
  const sets = $derived([...new Set((plan?.packs ?? []).map((p) => p.set).filter(Boolean))]);
  const ports = $derived([...new Set((plan?.calls ?? []).filter((c) => c.kind === 'on_port').map((c) => c.port))].sort());
  const KINDS: { value: Pin['kind']; label: string }[] = [
    { value: 'set', label: 'a pack on a sortie' },
    { value: 'takeoff', label: 'a sortie not before' },
    { value: 'charge', label: 'a pack on charge at' },
    { value: 'port', label: 'a port closed' },
    { value: 'supply', label: 'no power (refuelling)' },
  ];
  function add(e: SubmitEvent) {
    e.preventDefault();
    const made: Record<Pin['kind'], Pin> = {
      set: pin({ kind, flight: flight || (flights[0] ?? ''), set: set || (sets[0] ?? '') }),
      takeoff: pin({ kind, flight: flight || (flights[0] ?? ''), from }),
      charge: pin({ kind, set: set || (sets[0] ?? ''), from }),
      port: pin({ kind, port, from, to }),
      supply: pin({ kind, from, to }),
    };
    void planner.change({ pins: withPin(day.pins ?? [], made[kind]) });
  }
  function free(k: number) {
    const before = day.pins ?? [];
    void planner.change({ pins: before.filter((_, n) => n !== k) });
    notices.say(`No longer fixed: ${wordsOf(before[k]!)}`, { undo: () => void planner.change({ pins: before }) });
  }
</script>

<section class="flex flex-col gap-2" aria-label="Fixed by hand" data-testid="fixed">
  <h2>
    Fixed by hand
    {#if plan?.pins_cost_s != null && plan.pins.length}<span class="quiet ml-2 text-small font-normal" data-testid="pins-cost"
        >{plan.pins_cost_s < 30 ? 'costs nothing' : `costs ${hours(plan.pins_cost_s)}`}</span
      >{/if}
  </h2>
  {#each day.pins ?? [] as p, k (k)}
    <div class="flex items-center justify-between border-b border-rule">
      <span>{wordsOf(p)}</span><button
        class="button plain"
        disabled={!writable}
        aria-label="Free: {wordsOf(p)}"
        onclick={() => free(k)}>×</button>
    </div>
    {#if planner.problemAt(`pins.${k}`)}<p class="problem m-0 text-small" role="alert">{planner.problemAt(`pins.${k}`)}</p>{/if}
  {:else}<p class="quiet m-0 text-small">Nothing. Drag a sortie onto a pack or along the hours, or add it here.</p>{/each}
  <form class="flex flex-wrap items-end gap-2" onsubmit={add}>
    <label class="text-small"
      >fix <select class="input" bind:value={kind} disabled={!writable}>
        {#each KINDS as k (k.value)}<option value={k.value}>{k.label}</option>{/each}
      </select></label>
    {#if kind === 'set' || kind === 'takeoff'}<label class="text-small"
        >sortie <select
          class="input"
          value={flight || flights[0]}
          onchange={(e) => (flight = e.currentTarget.value)}
          disabled={!writable}>
          {#each flights as f (f)}<option value={f}>{f}</option>{/each}
        </select></label
      >{/if}
    {#if kind === 'set' || kind === 'charge'}<label class="text-small"
        >pack <select class="input" value={set || sets[0]} onchange={(e) => (set = e.currentTarget.value)} disabled={!writable}>
          {#each sets as s (s)}<option value={s}>{s}</option>{/each}
        </select></label
      >{/if}
    {#if kind === 'port'}<label class="text-small"
        >port <select class="input" bind:value={port} disabled={!writable}>
          {#each ports.length ? ports : [1] as p (p)}<option value={p}>{p}</option>{/each}
        </select></label
      >{/if}
    {#if kind !== 'set'}<label class="text-small"
        >{kind === 'port' || kind === 'supply' ? 'from' : 'at'}
        <input class="input" type="time" bind:value={from} disabled={!writable} /></label
      >{/if}
    {#if kind === 'port' || kind === 'supply'}<label class="text-small"
        >to <input class="input" type="time" bind:value={to} disabled={!writable} /></label
      >{/if}
    <button class="button" disabled={!writable}>Lock</button>
  </form>
</section>
