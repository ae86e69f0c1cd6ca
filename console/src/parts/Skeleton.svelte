<!-- What is drawn while an answer is on its way; it appears only when that takes longer than a moment. -->
<script lang="ts">
  import { onMount } from "svelte";

  let { rows = 4 }: { rows?: number } = $props();
  let late = $state(false);
  onMount(() => {
    const timer = setTimeout(() => (late = true), 200);
    return () => clearTimeout(timer);
  });
</script>

{#if late}
  <div class="card animate-pulse p-5" aria-busy="true" aria-label="Loading">
    {#each { length: rows } as _, i (i)}
      <div class="mb-3 h-4 rounded bg-gray-200 last:mb-0 last:w-2/3 dark:bg-gray-700"></div>
    {/each}
  </div>
{/if}
