<!-- A place by its coordinates, in whatever notation it was given: seen on the map, then taken as home or as a corner. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import TextField from '$shared/ui/TextField.svelte';

  type Place = [number, number];
  interface Props {
    writable: boolean;
    drawing: boolean;
    onplace: (place: Place | null) => void;
    onhome: (place: Place) => void;
    oncorner: (place: Place) => void;
    onclose: () => void;
  }
  let { writable, drawing, onplace, onhome, oncorner, onclose }: Props = $props();
  let text = $state('');
  let found = $state.raw<{ at: Place; form: string } | null>(null);
  let problem = $state('');
  let asked = 0;
  let field: HTMLElement | undefined = $state();
  $effect(() => field?.querySelector('input')?.focus());

  async function read(words: string) {
    text = words;
    const mine = ++asked;
    // Until the text is read, no button may take the place that stood before.
    found = null;
    if (!words.trim()) {
      problem = '';
      onplace(null);
      return;
    }
    const { data, problem: bad } = await call('GET', '/api/jobs/place', { params: { query: { text: words.slice(0, 120) } } });
    if (mine !== asked) return;
    found = data ? { at: data.at as Place, form: data.form } : null;
    problem = bad?.detail ?? '';
    onplace(found?.at ?? null);
  }
</script>

<div bind:this={field}>
  <TextField label="Degrees in any form, UTM or MGRS" value={text} onchange={(v) => void read(v)} {problem} />
</div>
{#if found}
  <p class="m-0 my-2" role="status">
    <b>{found.at[1].toFixed(6)}°, {found.at[0].toFixed(6)}°</b><br /><span class="quiet"
      >read as {found.form}; marked on the map</span>
  </p>
  {#if writable}
    <div class="flex flex-wrap gap-2">
      <button class="button" onclick={() => oncorner(found!.at)}>{drawing ? 'Next corner' : 'First corner'}</button>
      <button class="button" onclick={() => onhome(found!.at)}>Home here</button>
    </div>
  {/if}
{/if}
{#if drawing}<button class="button mt-2" onclick={onclose}>Close the area</button>{/if}
