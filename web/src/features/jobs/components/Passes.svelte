<!-- Further passes of a mapping job: lines across or tilted, rings round a thing, rows along its walls; lines raised over relief. -->
<script lang="ts">
  import type { Schemas } from '$shared/api/client';
  import { digits, show } from '$shared/format/units';
  import { session } from '$shared/session.svelte';
  import Choice from '$shared/ui/Choice.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import { notices } from '$shared/ui/notices.svelte';
  import Why from '$shared/working/Why.svelte';
  import { siteOf, structureOf, type JobDraft } from '../state/draft.svelte';

  let { draft, writable }: { draft: JobDraft; writable: boolean } = $props();
  type Pass = Schemas['PassIO'];
  type Structure = Schemas['StructureIO'];
  const job = $derived(draft.job!);
  const off = $derived(!writable);
  const passes = $derived((job.lines.passes ?? []) as Required<Pass>[]);
  const structures = $derived(siteOf(job).structures as Required<Structure>[]);
  const planned = $derived(draft.plan?.passes ?? []);
  const MOST = 8;

  const setPasses = (list: Pass[]) => draft.change({ lines: { ...job.lines, passes: list } });
  const setStructures = (list: Structure[]) => draft.change({ site: { ...siteOf(job), structures: list } });
  const pass = (k: number, part: Partial<Pass>) => setPasses(passes.map((p, n) => (n === k ? { ...p, ...part } : p)));
  const structure = (k: number, part: Partial<Structure>) =>
    setStructures(structures.map((s, n) => (n === k ? { ...s, ...part } : s)));
  function without<T>(list: T[], k: number, set: (list: T[]) => void) {
    set(list.filter((_, n) => n !== k));
    notices.say('Deleted', { undo: () => draft.undo() });
  }
  /** Passes by number, and by what they are once they are planned: the first is that over the ground. */
  const named = (k: number) => {
    const name = passes[k]!.name || planned.find((x) => x.part === k + 1)?.name;
    return name ? `Pass ${k + 2}, ${name}` : `Pass ${k + 2}`;
  };
  const keepOuts = $derived(job.keep_outs.filter((k) => k.ring.length > 2));
  function around(k: number) {
    const from = keepOuts[k]!;
    setStructures([...structures, structureOf(from.ring, from.name.slice(0, 60))]);
  }
</script>

{#snippet takes(part: number)}
  {@const p = planned.find((x) => x.part === part)}
  {#if p}
    <p class="m-0" data-testid="pass-takes">
      {p.lines_count} lines, {show(p.on_line_m, 'km', session.units)}, {digits(p.pictures_count)} pictures, one every {show(
        p.trigger_m,
        'm',
        session.units,
        1,
      )} ({p.interval_s.toFixed(1)} s), GSD <Why
        text={show(p.ground_sample_m, 'cm', session.units)}
        name="ground sample"
        of="jobs"
        id={job.id}
        key={`ground_sample_m.${part}`} />.
    </p>
  {/if}
{/snippet}
{#snippet head(words: string, remove: () => void)}
  <div class="flex items-center justify-between border-t border-rule pt-1">
    <b class="min-w-0 [overflow-wrap:anywhere]">{words}</b>
    <button class="button plain" aria-label="Delete {words}" disabled={off} onclick={remove}>×</button>
  </div>
{/snippet}

<div class="mt-2 flex flex-col gap-1 text-small" data-testid="passes">
  {#if draft.plan?.terrain || job.lines.raised}
    <label class="flex min-h-touch items-center gap-2"
      ><input
        type="checkbox"
        class="size-5"
        checked={job.lines.raised ?? false}
        disabled={off}
        onchange={(e) => draft.change({ lines: { ...job.lines, raised: e.currentTarget.checked } })} />Each line raised as the
      ground beside it asks</label>
  {/if}
  <b>Further passes</b>
  {#each passes as p, k (k)}
    {@render head(named(k), () => without(passes, k, setPasses))}
    <NumberField
      label="Turned from the first by"
      unit="°"
      digits={0}
      value={p.turn_deg}
      disabled={off}
      onchange={(v) => pass(k, { turn_deg: v })}
      problem={draft.problemAt(`lines.passes.${k}.turn_deg`)} />
    <NumberField
      label="Camera tilted ahead by"
      unit="°"
      digits={0}
      value={p.tilt_deg}
      disabled={off}
      onchange={(v) => pass(k, { tilt_deg: v })}
      problem={draft.problemAt(`lines.passes.${k}.tilt_deg`)} />
    {@render takes(k + 1)}
  {:else}<span class="quiet">None: one set of lines, the camera straight down.</span>{/each}
  <div class="flex flex-wrap gap-2">
    <button
      class="button small"
      disabled={off || passes.length >= MOST}
      onclick={() => setPasses([...passes, { turn_deg: 90, tilt_deg: 0, name: '' }])}>Add lines across</button>
    <button
      class="button small"
      disabled={off || passes.length >= MOST}
      onclick={() => setPasses([...passes, { turn_deg: passes.length ? 0 : 90, tilt_deg: 25, name: '' }])}
      >Add tilted lines</button>
  </div>

  <b class="mt-2">Round structures</b>
  {#each structures as s, k (k)}
    {@render head(s.name || `Structure ${k + 1}`, () => without(structures, k, setStructures))}
    <label class="flex items-center justify-between gap-2"
      >Name<input
        class="input !w-40"
        value={s.name}
        maxlength="60"
        disabled={off}
        onchange={(e) => structure(k, { name: e.currentTarget.value.trim() })} /></label>
    <Choice
      label="Fly"
      value={s.how}
      disabled={off}
      options={[
        { value: 'rings', label: 'rings round it' },
        { value: 'walls', label: 'rows along its walls' },
      ]}
      onchange={(v) => structure(k, { how: v as 'rings' })} />
    {#each [['top_m', 'Its height'], ['stand_off_m', 'Stand-off'], ['low_m', 'Lowest row, above ground'], ['high_m', 'Highest row, above ground']] as const as [key, label] (key)}
      <NumberField
        {label}
        quantity="m"
        value={s[key]}
        disabled={off}
        onchange={(v) => structure(k, { [key]: v })}
        problem={draft.problemAt(`site.structures.${k}.${key}`)} />
    {/each}
    <NumberField
      label="Speed"
      quantity="m_s"
      value={s.speed_m_s}
      disabled={off}
      onchange={(v) => structure(k, { speed_m_s: v })}
      problem={draft.problemAt(`site.structures.${k}.speed_m_s`)} />
    {#if s.how === 'walls'}
      <Choice
        label="Walls"
        value={s.facing_deg === null ? '' : String(s.facing_deg)}
        empty="all"
        disabled={off}
        options={[
          ['0', 'north'],
          ['90', 'east'],
          ['180', 'south'],
          ['270', 'west'],
        ].map(([value, to]) => ({ value: value!, label: `those that face ${to}` }))}
        onchange={(v) => structure(k, { facing_deg: v ? Number(v) : null })} />
    {/if}
    {#if draft.problemAt(`site.structures.${k}.ring`)}<p class="problem m-0">
        {draft.problemAt(`site.structures.${k}.ring`)}
      </p>{/if}
    {@render takes(passes.length + k + 1)}
  {:else}<span class="quiet">None. Mounds and towers by rings, buildings by rows along their walls.</span>{/each}
  <div class="flex flex-wrap gap-2">
    <button class="button small" disabled={off || structures.length >= 20} onclick={() => (draft.outlining = 'structure')}
      >Draw an outline</button>
    {#each keepOuts.slice(0, 6) as k, n (n)}
      <button class="button small" disabled={off || structures.length >= 20} onclick={() => around(n)}
        >Round {k.name || `keep-out ${n + 1}`}</button>
    {/each}
  </div>
</div>
