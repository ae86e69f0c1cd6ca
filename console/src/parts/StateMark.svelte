<!-- The state of somebody; what is out of use, or not there yet, stands out. -->
<script lang="ts">
  import type { Schemas } from "../lib/api";

  let { state, says }: { state: Schemas["State"]; says?: string } = $props();

  const words = { pending: "invited, not accepted yet: holds nothing", active: "in use", suspended: "out of use for a while: holds nothing", retired: "out of use: holds nothing" };
</script>

{#if state === "active"}
  <span title={says ?? words[state]}>{state}</span>
{:else}
  <span class="rounded-full bg-copper-100 px-2 py-0.5 text-sm font-semibold whitespace-nowrap text-copper-700 dark:bg-copper-900 dark:text-copper-200" title={says ?? words[state]} data-test="state">{state}</span>
{/if}
