<!-- The pages of the logbook. -->
<script lang="ts">
  import { page } from '$app/state';
  import { PLACES } from '../words/book';

  let { title }: { title: string } = $props();
</script>

<div class="mb-4 flex flex-wrap items-end gap-x-6 gap-y-2">
  <h1 class="mr-auto">{title}</h1>
  <nav aria-label="Logbook" class="flex flex-wrap">
    {#each PLACES as p (p.href)}
      <a
        href={p.href}
        class="flex min-h-touch items-center border-b-3 px-3 no-underline {page.url.pathname === p.href
          ? 'border-ink font-semibold'
          : 'border-transparent text-ink-2 hover:border-rule'}"
        aria-current={page.url.pathname === p.href ? 'page' : undefined}>{p.label}</a>
    {/each}
  </nav>
</div>
