<!-- What every screen of a company goes by: its name, its time zone, its currency, how it writes dates. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import { resource } from '$shared/resource.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import { session } from '$shared/session.svelte';
  import CompanyForm from './CompanyForm.svelte';
  import Retention from './Retention.svelte';

  const company = resource(() => call('GET', '/api/company'));
</script>

<div class="mx-auto max-w-149 px-6 py-8">
  <h1 class="mb-5">Company</h1>
  <Failed of={company} />
  {#if company.value}<CompanyForm company={company.value} />{:else if !company.problem}<p class="quiet" role="status">
      Looking …
    </p>{/if}
  <div class="mt-12"><Retention /></div>
  {#if session.may('company:move')}
    <section class="mt-12">
      <h2 class="mb-1">All data of the company</h2>
      <p>
        Whoever runs the server writes all of it into one archive of JSON and Parquet, brings it to another server, or deletes it
        for good: <code>quarry export</code>, <code>quarry import</code> and <code>quarry company delete</code>. Passwords and
        tokens stay behind.
      </p>
    </section>
  {/if}
</div>
