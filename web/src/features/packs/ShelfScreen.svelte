<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { digits, percent } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import { help } from '$shared/ui/help.svelte';
  import { nearing } from '$shared/ui/nearing';
  import Verdict, { LEVELS, type Level } from '$shared/ui/Verdict.svelte';
  import Why from '$shared/working/Why.svelte';
  import CareList from './components/CareList.svelte';
  import ChargeBed from './components/ChargeBed.svelte';
  import { arranged, shelf, SORTS, type Line, type SortKey } from './state/shelf.svelte';
  import Tables from './components/Tables.svelte';

  let typed = $state(page.url.searchParams.get('q') ?? '');
  /** What is looked for: what was typed, once the fingers rest, so that each letter stands at once. */
  let search = $state(page.url.searchParams.get('q') ?? '');
  const RESTS_MS = 120;
  $effect(() => {
    const words = typed;
    const timer = setTimeout(() => (search = words), RESTS_MS);
    return () => clearTimeout(timer);
  });
  let model = $state('');
  let levels = $state<Level[]>([]);
  let sort = $state<SortKey>((page.url.searchParams.get('by') as SortKey) ?? 'name');
  let away = $state(false);
  let chosen = $state<string[]>([]);
  let tables = $state(false);
  let box: HTMLInputElement | undefined = $state();
  let body: HTMLElement | undefined = $state();

  const packs = $derived(shelf.shelf?.packs ?? []);
  const shown = $derived(arranged(packs, search, model, levels, sort));
  const models = $derived(
    [...new Map(packs.map((p) => [p.model_id, p.model])).entries()].sort((a, b) => a[1].localeCompare(b[1])),
  );
  const counts = $derived(
    LEVELS.map((l) => ({ level: l, count: packs.filter((p) => p.level === l).length })).filter(
      (c) => c.count || c.level !== 'not yet tested',
    ),
  );
  const sets = $derived(shelf.shelf?.sets ?? []);
  const setOf = (p: Line) => (p.mates ? sets.find((s) => s.mates === p.mates && s.model_id === p.model_id) : undefined);
  const writable = $derived(session.may('packs:record'));
  const charging = $derived(new Map((shelf.shelf?.charging ?? []).map((c) => [c.pack_id, c])));
  /** In order of number a set stands together under a line of its own. */
  const rows = $derived.by(() => {
    const found: ({ set: NonNullable<ReturnType<typeof setOf>> } | { pack: Line; inSet: boolean })[] = [];
    for (const p of shown) {
      const set = sort === 'name' ? setOf(p) : undefined;
      const mates = set ? shown.filter((o) => o.mates === p.mates && o.model_id === p.model_id) : [p];
      if (mates[0] !== p) continue;
      if (set) found.push({ set });
      found.push(...mates.map((pack) => ({ pack, inSet: !!set })));
    }
    return found;
  });

  // Long lists come on the screen piece by piece: a window full at once, more as its end comes near.
  const FIRST = 14;
  const PIECE = 26;
  let most = $state(FIRST);
  $effect(() => {
    void [search, model, levels, sort, away];
    most = FIRST;
  });

  $effect(() => void shelf.load(away));
  $effect(() => {
    const url = new URL(page.url);
    if (search) url.searchParams.set('q', search);
    else url.searchParams.delete('q');
    if (sort === 'name') url.searchParams.delete('by');
    else url.searchParams.set('by', sort);
    history.replaceState(history.state, '', url);
  });
  const toggle = (level: Level) => (levels = levels.includes(level) ? levels.filter((l) => l !== level) : [...levels, level]);
  const choose = (id: string) => (chosen = chosen.includes(id) ? chosen.filter((c) => c !== id) : [...chosen, id]);
  const nextSort = () => (sort = SORTS[(SORTS.findIndex((s) => s.key === sort) + 1) % SORTS.length]!.key);
  const labels = $derived(chosen.length ? chosen : shown.map((p) => p.id));
  const labelPath = (size: string) =>
    `/api/packs/labels.pdf?size=${size}&${labels
      .slice(0, 300)
      .map((id) => `ids=${id}`)
      .join('&')}`;
  function walk(e: KeyboardEvent) {
    if (e.key !== 'ArrowDown' && e.key !== 'ArrowUp') return;
    const links = [...(body?.querySelectorAll<HTMLElement>('a[data-pack]') ?? [])];
    const now = links.indexOf(document.activeElement as HTMLElement);
    if (now > links.length - 10) most += PIECE;
    links[Math.max(0, Math.min(links.length - 1, now + (e.key === 'ArrowDown' ? 1 : -1)))]?.focus();
    e.preventDefault();
  }
  $effect(() =>
    help.offer('shelf', [
      { id: 'search', label: 'Search packs', keys: '/', run: () => box?.focus() },
      { id: 'sort', label: 'Sort by the next figure', keys: 'S', run: nextSort },
      {
        id: 'walk',
        label: 'Walk down the list (arrows)',
        keys: 'ArrowDown',
        run: () => body?.querySelector<HTMLElement>('a[data-pack]')?.focus(),
      },
      { id: 'rest', label: 'Enter resting voltages of all packs', keys: 'V', run: () => writable && goto('/packs/rest') },
      { id: 'add', label: 'Add a pack', keys: 'N', run: () => session.may('packs:write') && goto('/fleet?of=packs&new') },
    ]),
  );
</script>

<div class="grid min-h-[calc(100dvh-68px)] grid-cols-[minmax(0,1fr)_336px] max-narrow:grid-cols-1">
  <div class="min-w-0 px-6 py-5">
    <div class="mb-3 flex flex-wrap items-end gap-x-3 gap-y-2">
      <h1 class="mr-auto">Packs</h1>
      <input
        bind:this={box}
        class="input !w-48"
        type="search"
        placeholder="Search  /"
        aria-label="Search packs"
        bind:value={typed} />
      <button class="button" onclick={() => (tables = true)}>Tables</button>
      <a class="button" href="/packs/charging"
        >Charging{#if charging.size}<b>{charging.size}</b>{/if}</a>
      {#if writable}<a class="button" href="/packs/rest">Resting voltage</a>{/if}
      {#if session.may('packs:write')}<a class="button dark" href="/fleet?of=packs&new">Add a pack</a>{/if}
    </div>
    <div class="mb-3 flex flex-wrap items-center gap-2">
      {#each counts as c (c.level)}
        <button class="button !px-2.5" aria-pressed={levels.includes(c.level)} onclick={() => toggle(c.level)}>
          <Verdict level={c.level} size={16} word={false} /><b>{c.count}</b>
          {c.level}
        </button>
      {/each}
      <span class="grow"></span>
      <select class="input !w-40" aria-label="Model" bind:value={model}>
        <option value="">every model</option>
        {#each models as [id, name] (id)}<option value={id}>{name}</option>{/each}
      </select>
      <select class="input !w-50" aria-label="Sort by" bind:value={sort}>
        {#each SORTS as s (s.key)}<option value={s.key}>by {s.label}</option>{/each}
      </select>
    </div>
    {#if shelf.problem}<p class="problem mb-3" role="alert">
        {shelf.problem.detail} <button class="button" onclick={() => shelf.load(away)}>Try again</button>
      </p>{/if}
    {#if !shelf.shelf}<p class="quiet" role="status">Loading packs …</p>
    {:else if !packs.length}
      <div class="rounded border-line border-dashed border-rule bg-sheet px-8 py-12 text-center">
        {#if away}<p>Nothing is archived.</p>
        {:else}
          <p class="mb-4">No packs yet. First add a model of pack, then number your packs; or read your old sheet in.</p>
          <a class="button dark" href="/fleet?of=pack-models">Models of pack</a>
          <button class="button" onclick={() => (tables = true)}>Read a table in</button>
        {/if}
      </div>
    {:else if !shown.length}
      <p class="quiet py-8">
        No pack fits. <button class="button" onclick={() => ((typed = ''), (model = ''), (levels = []))}
          >Show all {packs.length}</button>
      </p>
    {:else}
      <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
      <table class="sheet-table shelf bg-sheet" data-testid="shelf" onkeydown={walk}>
        <thead>
          <tr>
            <th class="w-9"><span class="visually-hidden">choose</span></th><th class="w-14">pack</th><th class="w-38"
              >verdict</th>
            <th>why</th><th class="w-37">charge</th><th class="!text-right">capacity</th><th class="!text-right">cycles</th>
            <th class="w-43 max-laptop:hidden">next care</th>
          </tr>
        </thead>
        <tbody bind:this={body}>
          {#each rows.slice(0, most) as r ('set' in r ? `set ${r.set.model_id} ${r.set.mates}` : r.pack.id)}
            {#if 'set' in r}
              <tr class="bg-paper-deep">
                <td class="!h-9"></td>
                <td colspan="7" class="!h-9">
                  <span class="sharp">Set {r.set.mates}</span>
                  <span class="quiet">· {r.set.packs.join(' + ')} ·</span>
                  <Verdict level={r.set.level} size={14} word={false} />
                  <Why text={r.set.words} name="set {r.set.mates}" given={r.set.working} />
                </td>
              </tr>
            {:else}
              {@const p = r.pack}
              <tr class="hover:bg-paper-deep" data-level={p.level}>
                <td class={r.inSet ? 'shadow-[inset_3px_0_0_var(--tarn)]' : ''}
                  ><input
                    type="checkbox"
                    class="size-4 align-middle"
                    aria-label="Choose {p.name} for labels"
                    checked={chosen.includes(p.id)}
                    onchange={() => choose(p.id)} /></td>
                <td>
                  <a
                    data-pack
                    href="/packs/{p.id}"
                    class="sharp inline-flex min-h-touch items-center text-title underline decoration-1 underline-offset-4"
                    >{p.name}</a>
                  {#if p.mates && !r.inSet}<span class="quiet text-note">set {p.mates}</span>{/if}
                </td>
                <td><Verdict level={p.level} /></td>
                <td class="text-small leading-snug"><span class="line-clamp-2">{p.words}</span></td>
                <td><ChargeBed line={p} onPort={charging.get(p.id)?.port} /></td>
                <td class="text-right"
                  >{percent(p.health_frac)}<span class="quiet text-note">{p.health_measured ? '' : ' ?'}</span></td>
                <td class="text-right">{digits(p.cycles)}</td>
                <td class="text-small max-laptop:hidden">
                  {#if p.tasks[0]}<b>{p.tasks[0].kind}</b>{#if p.tasks.length > 1}<span class="quiet ml-1"
                        >+{p.tasks.length - 1}</span
                      >{/if}{:else}<span class="quiet">nothing due</span>{/if}
                </td>
              </tr>
            {/if}
          {/each}
          {#if rows.length > most}{#key most}<tr {@attach nearing(() => (most += PIECE))}
                ><td colspan="8" class="quiet">{rows.length - most} more</td></tr
              >{/key}{/if}
        </tbody>
      </table>
      <div class="mt-3 flex flex-wrap items-center gap-3 text-small">
        <span class="quiet"
          >{shown.length} of {packs.length} packs{shown.some((p) => !p.health_measured)
            ? ' · ? capacity as entered, not yet measured'
            : ''}</span>
        <span class="grow"></span>
        <a href="/fleet">Register, models, aircraft, chargers</a>
        <label class="flex items-center gap-2"><input type="checkbox" class="size-4" bind:checked={away} />archived</label>
        <a class="button" href={labelPath('sheet')} target="_blank">Labels, sheet ({labels.length})</a>
        <a class="button" href={labelPath('roll')} target="_blank">Labels, roll</a>
      </div>
    {/if}
  </div>
  <aside
    class="border-l-line border-ink bg-paper px-5 py-5 max-narrow:order-first max-narrow:max-h-94 max-narrow:overflow-y-auto max-narrow:border-b-line max-narrow:border-l-0">
    <CareList />
    <p class="quiet mt-5 text-note">
      {shelf.shelf?.test_each_take_off
        ? 'By policy every take-off is a load test.'
        : 'By policy packs are load-tested after long rest.'}
      <a href="/policy">Policy</a>
    </p>
  </aside>
</div>
<Tables bind:open={tables} done={() => shelf.load(away)} />

<style>
  .shelf td {
    height: max(40px, var(--target));
    padding-top: 3px;
    padding-bottom: 3px;
  }
</style>
