<!-- How the lines of a search lie: side by side, or a pattern that starts from a place. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import Choice from '$shared/ui/Choice.svelte';
  import NumberField from '$shared/ui/NumberField.svelte';
  import TextField from '$shared/ui/TextField.svelte';
  import { siteOf, type JobDraft } from '../state/draft.svelte';

  let { draft, writable }: { draft: JobDraft; writable: boolean } = $props();
  const job = $derived(draft.job!);
  const pattern = $derived(String(job.work.pattern ?? 'parallel'));
  const datum = $derived(siteOf(job).datum ?? null);
  const PATTERNS = [
    { value: 'parallel', label: 'parallel lines' },
    { value: 'square', label: 'expanding square' },
    { value: 'sector', label: 'sectors' },
    { value: 'creeping', label: 'lines creeping ahead' },
    { value: 'contour', label: 'contours' },
  ];
  const ASKS: Record<string, string> = {
    square: 'Around a place that is well known: the nearest ground first.',
    sector: 'Around a place that is exactly known: over it again and again, thin at the rim.',
    creeping: 'From one end of a long area to the other, in lines across it.',
    contour: 'On steep ground: level lines from the top down. Needs terrain.',
  };
  let unread = $state('');
  const start = (at: number[] | null) => draft.change({ site: { ...siteOf(job), datum: at as [number, number] | null } });

  async function read(words: string) {
    if (!words.trim()) {
      unread = '';
      start(null);
      return;
    }
    const { data, problem } = await call('GET', '/api/jobs/place', { params: { query: { text: words.slice(0, 120) } } });
    unread = problem?.detail ?? '';
    if (data) start(data.at);
  }
</script>

<Choice
  label="Pattern"
  value={pattern}
  disabled={!writable}
  options={PATTERNS}
  problem={draft.problemAt('work.pattern')}
  onchange={(v) => draft.change({ work: { ...job.work, pattern: v } })} />
{#if pattern !== 'parallel'}
  <p class="quiet m-0 text-small">{ASKS[pattern]}</p>
  {#if pattern !== 'contour'}
    <TextField
      label="Starts from (empty: the middle)"
      value={datum ? `${datum[1].toFixed(6)}, ${datum[0].toFixed(6)}` : ''}
      disabled={!writable}
      onchange={(v) => void read(v)}
      problem={unread || draft.problemAt('site.datum')} />
  {/if}
  {#if pattern === 'square' || pattern === 'sector'}
    <NumberField
      label="First leg"
      unit="°"
      digits={0}
      value={job.lines.bearing_deg}
      disabled={!writable}
      problem={draft.problemAt('lines.bearing_deg')}
      onchange={(v) => draft.change({ lines: { ...job.lines, bearing_deg: v } })} />
  {/if}
{/if}
