<!-- What every screen of a company goes by: its name, its time zone, its currency, how it writes dates. -->
<script lang="ts">
  import { call } from '$shared/api/call';
  import { resource } from '$shared/resource.svelte';
  import Failed from '$shared/ui/Failed.svelte';
  import CompanyForm from './CompanyForm.svelte';

  const company = resource(() => call('GET', '/api/company'));
</script>

<div class="mx-auto max-w-149 px-6 py-8">
  <h1 class="mb-5">Company</h1>
  <Failed of={company} />
  {#if company.value}<CompanyForm company={company.value} />{:else if !company.problem}<p class="quiet" role="status">
      Looking …
    </p>{/if}
</div>
