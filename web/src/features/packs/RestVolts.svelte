<!-- Resting voltages of all packs with the keyboard alone: type a row, Enter, the next pack is on. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { call } from '$shared/api/call';
  import { type Problem, type Schemas } from '$shared/api/client';
  import { session } from '$shared/session.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import { rowOfVolts } from './state/entry';
  import { arranged, shelf, type Line } from './state/shelf.svelte';

  let typed = $state<Record<string, string>>({});
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);
  let only = $state(true);
  let table: HTMLElement | undefined = $state();
  let fleet = $state.raw<Schemas['FleetOut'] | null>(null);
  const cells = $derived(new Map((fleet?.pack_models ?? []).map((m) => [m.id, m.cells])));
  const packs = $derived(arranged(shelf.shelf?.packs ?? [], '', '', [], 'name').filter((p) => !only || p.level !== 'grounded'));
  void shelf.load();
  void call('GET', '/api/fleet').then((a) => (fleet = a.data));

  const rows = $derived(packs.filter((p) => typed[p.id]?.trim()).map((p) => ({ p, v: rowOfVolts(typed[p.id]!) })));
  const problems = $derived(problem?.problems ?? []);
  let sent = $state.raw<string[]>([]);
  const wrong = (p: Line) => {
    const text = typed[p.id]?.trim();
    if (!text) return '';
    const v = rowOfVolts(text);
    const n = cells.get(p.model_id) ?? 0;
    if (v.some((x) => x === null)) return 'Type volts only, a space between cells.';
    if (v.length !== 1 && v.length !== n) return `${v.length} of ${n} cells.`;
    const k = sent.indexOf(p.id);
    return k >= 0 ? (problems.find((r) => r.row === k)?.detail ?? '') : '';
  };
  const spread = (p: Line) => {
    const v = rowOfVolts(typed[p.id] ?? '').filter((x) => x !== null);
    return v.length > 1 ? `${Math.round(1000 * (Math.max(...v) - Math.min(...v)))} mV apart` : '';
  };
  const fields = () => [...(table?.querySelectorAll<HTMLInputElement>('input[data-row]') ?? [])];
  function step(e: KeyboardEvent, by: number) {
    const all = fields();
    const next = all[all.indexOf(e.currentTarget as HTMLInputElement) + by];
    if (next) next.focus();
    else if (by > 0) document.getElementById('keep-rest')?.focus();
    e.preventDefault();
  }
  async function keep() {
    busy = true;
    sent = rows.map((r) => r.p.id);
    const { data, problem: bad } = await call('POST', '/api/packs/rest-volts', {
      body: {
        rows: rows.map(({ p, v }) => ({
          pack_id: p.id,
          ...(v.length === 1 ? { total_v: v[0]! } : { cell_v: v as number[] }),
        })),
      },
    });
    busy = false;
    problem = bad;
    if (data) {
      shelf.shelf = data;
      notices.say(`Resting voltages of ${sent.length} packs recorded`);
      await goto('/packs');
    } else {
      const first = problems[0]?.row;
      if (first !== undefined)
        fields()
          .find((f) => f.dataset.row === sent[first])
          ?.focus();
    }
  }
</script>

<div class="mx-auto max-w-269 px-6 py-5">
  <div class="mb-2 flex flex-wrap items-end gap-3">
    <h1 class="mr-auto">Resting voltage</h1>
    <label class="flex items-center gap-2"
      ><input type="checkbox" class="size-4" bind:checked={only} />leave grounded packs out</label>
    <a class="button" href="/packs">Back to packs</a>
  </div>
  <p class="quiet mb-4">
    Packs rested for an hour or more. Type each cell with a space between, 3.85 3.85 3.84 or 385 385 384, or the whole pack as one
    number; Enter goes on. Rows left empty are left as they are.
  </p>
  {#if !shelf.shelf || !fleet}<p class="quiet" role="status">Loading packs …</p>
  {:else if !packs.length}<p class="quiet">No packs yet.</p>
  {:else}
    <table class="sheet-table bg-sheet" bind:this={table}>
      <thead
        ><tr><th class="w-16">pack</th><th class="w-54">model</th><th>volts at rest</th><th class="w-66">says</th></tr></thead>
      <tbody>
        {#each packs as p (p.id)}
          {@const bad = wrong(p)}
          <tr>
            <td class="sharp text-title">{p.name}</td>
            <td>{p.model}<span class="quiet ml-1.5 text-note">· {cells.get(p.model_id)} cells</span></td>
            <td>
              <input
                class="input"
                data-row={p.id}
                inputmode="decimal"
                autocomplete="off"
                aria-label="Resting voltage of {p.name}"
                aria-invalid={bad ? 'true' : undefined}
                bind:value={() => typed[p.id] ?? '', (v) => (typed[p.id] = v)}
                onkeydown={(e) => {
                  if (e.key === 'Enter' || e.key === 'ArrowDown') step(e, 1);
                  else if (e.key === 'ArrowUp') step(e, -1);
                }} />
            </td>
            <td class="text-small"
              >{#if bad}<span class="problem" role="alert">{bad}</span>{:else}{spread(p)}{/if}</td>
          </tr>
        {/each}
      </tbody>
    </table>
    {#if problem && !problems.length}<p class="problem mt-3" role="alert">{problem.detail}</p>{/if}
    <div class="sticky bottom-0 mt-3 flex items-center gap-4 bg-paper py-3">
      <button
        id="keep-rest"
        class="button dark"
        disabled={!rows.length || busy || rows.some((r) => wrong(r.p) && !problems.length) || !session.may('packs:record')}
        onclick={keep}>Keep {rows.length || ''} rows</button>
      <span class="quiet">All of them, or none if one is wrong.</span>
    </div>
  {/if}
</div>
