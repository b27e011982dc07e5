<!-- What lies under the plan, switched on and off; own pictures are archived here. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import { notices } from '$shared/ui/notices.svelte';
  import type { Imagery, Layers } from './layers.svelte';

  interface Props {
    layers: Layers;
    terrain: string | null;
    writable: boolean;
    onfile: () => void;
    onlook: (bounds: number[]) => void;
  }
  let { layers, terrain, writable, onfile, onlook }: Props = $props();

  async function putAway(one: Imagery) {
    const path = { params: { path: { imagery_id: one.id } } };
    const { problem } = await call('DELETE', '/api/imagery/{imagery_id}', path);
    if (problem) return notices.say(problem.detail, { bad: true });
    const undo = async () => {
      const back = await call('POST', '/api/imagery/{imagery_id}/restore', path);
      if (back.problem) notices.say(back.problem.detail, { bad: true });
      await layers.load();
    };
    notices.say(`${one.name} archived`, { undo: () => void undo() });
    await layers.load();
  }
</script>

{#snippet choice(id: string, words: string)}
  <label class="flex min-h-touch items-center gap-2"
    ><input
      type="checkbox"
      class="size-4"
      checked={layers.on(id)}
      onchange={(e) => layers.set(id, e.currentTarget.checked)} /><span class="min-w-0 break-words">{words}</span></label>
{/snippet}

{#if terrain}
  {@render choice('shade', `Terrain ${terrain}, light and shade`)}
  {@render choice('contours', 'Contours')}
{:else}<p class="quiet m-0 mt-1">No terrain known here.</p>{/if}
{#if layers.service}{@render choice('service', "The company's map service")}{/if}
{#each layers.imagery as one (one.id)}
  <div class="border-t border-rule pt-1">
    {@render choice(one.id, one.name)}
    <div class="flex gap-3 text-small">
      <button class="underline" onclick={() => onlook(one.bounds as number[])}>show</button>
      {#if writable}<button class="underline" onclick={() => putAway(one)}>archive</button>{/if}
    </div>
    {#each one.notes as note (note)}<p class="quiet m-0 mt-1 text-small">{note}</p>{/each}
  </div>
{:else}
  <p class="quiet m-0 mt-2">
    {layers.problem ||
      'No pictures of the ground yet. Drop a GeoTIFF, MBTiles or PMTiles file on the map: it stays with the company.'}
  </p>
{/each}
{#if layers.problem}<button class="underline" onclick={() => layers.load()}>try again</button>{/if}
{#if writable}<button class="button mt-3 w-full" onclick={onfile}>Add a picture or terrain</button>{/if}
