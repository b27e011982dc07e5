<script lang="ts">
  import KindsScreen from '$features/searches/KindsScreen.svelte';
</script>

<KindsScreen />
