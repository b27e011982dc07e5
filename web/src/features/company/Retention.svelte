<!-- How long the company keeps what: for ever unless chosen otherwise; what would go is counted before anything is set. -->
<script lang="ts">
  import { Dialog } from 'bits-ui';
  import { call } from '$shared/api/call';
  import type { Problem, Schemas } from '$shared/api/client';
  import { date } from '$shared/format/dates';
  import { digits } from '$shared/format/units';
  import { Resource } from '$shared/resource.svelte';
  import { session } from '$shared/session.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import { notices } from '$shared/ui/notices.svelte';

  type Kind = Schemas['KeptKind'];
  let chosen = $state<Record<string, number | null>>({});
  let asking = $state(false);
  let problem = $state.raw<Problem | null>(null);
  const all = new Resource(() =>
    Object.keys(chosen).length
      ? call('POST', '/api/company/retention/look', { body: { days: chosen } })
      : call('GET', '/api/company/retention'),
  );
  void all.load();
  const lead = $derived(session.may('company:write'));
  const changed = $derived(Object.keys(chosen).length > 0);
  const going = $derived((all.value ?? []).filter((k) => k.due > 0));
  const TIMES = [
    { days: 30, words: '30 days' },
    { days: 90, words: '90 days' },
    { days: 365, words: 'a year' },
    { days: 730, words: '2 years' },
    { days: 1825, words: '5 years' },
    { days: 3650, words: '10 years' },
  ];
  const offered = (k: Kind) =>
    k.days && !TIMES.some((t) => t.days === k.days) ? [...TIMES, { days: k.days, words: `${k.days} days` }] : TIMES;

  async function choose(k: Kind, value: string) {
    chosen = { ...chosen, [k.name]: value ? Number(value) : null };
    await all.load();
  }
  async function save() {
    const answer = await call('PUT', '/api/company/retention', { body: { days: chosen } });
    problem = answer.problem;
    asking = false;
    if (answer.problem) return;
    chosen = {};
    notices.say('How long data is kept is saved');
    await all.load();
  }
  async function cancel() {
    chosen = {};
    await all.load();
  }
</script>

<section>
  <h2 class="mb-1">How long data is kept</h2>
  <p class="mb-3">
    Everything stays for ever unless you choose a time. What is older goes within the hour; only a backup can restore it. Records
    of packs, days that were flown and the logbook's flights always stay.
  </p>
  <Failed of={all} />
  {#if problem}<p class="problem" role="alert">{problem.detail}</p>{/if}
  {#if all.value}
    <table class="sheet-table bg-sheet">
      <thead><tr><th>what</th><th>oldest</th><th>keep</th><th>goes now</th></tr></thead>
      <tbody>
        {#each all.value as k (k.name)}
          <tr>
            <td
              ><b>{k.words}</b>{#if k.stays}<br /><span class="quiet text-small">{k.stays}</span>{/if}</td>
            <td class="nums whitespace-nowrap">{k.oldest ? date(k.oldest) : 'none'}</td>
            <td
              ><select
                class="input min-w-32"
                aria-label="Keep {k.words}"
                disabled={!lead}
                value={String(k.days ?? '')}
                onchange={(e) => choose(k, e.currentTarget.value)}
                ><option value="">for ever</option>{#each offered(k) as t (t.days)}<option value={String(t.days)}
                    >{t.words}</option
                  >{/each}</select
              ></td>
            <td class="nums" class:problem={k.due > 0}>{k.due ? digits(k.due) : '—'}</td>
          </tr>
        {/each}
      </tbody>
    </table>
    {#if changed}<div class="mt-3 flex gap-3">
        <button class="button dark" onclick={() => (going.length ? (asking = true) : save())}>Save</button>
        <button class="button" onclick={cancel}>Cancel</button>
      </div>{/if}
  {:else if !all.problem}<p class="quiet" role="status">Looking …</p>{/if}
</section>

<Dialog.Root bind:open={asking}>
  <Dialog.Portal>
    <Dialog.Overlay class="veil" />
    <Dialog.Content class="dialog" aria-describedby={undefined}>
      <Dialog.Title class="sharp mb-3 text-head">Let these go?</Dialog.Title>
      <ul class="mb-4">
        {#each going as k (k.name)}<li>{digits(k.due)} of: {k.words}. {k.stays}</li>{/each}
      </ul>
      <div class="flex justify-end gap-3">
        <Dialog.Close class="button">Cancel</Dialog.Close>
        <button class="button dark" onclick={save}>Let them go</button>
      </div>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
