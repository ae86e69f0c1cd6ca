<!-- What a reading of a directory did with whom, or would do. -->
<script lang="ts">
  import type { Schemas } from "../lib/api";
  import { labelled } from "../lib/labelled";
  import { worrying } from "../lib/readings";

  let { of }: { of: Schemas["DirectoryReading"] } = $props();

  const told = $derived(Object.values(of.counts).reduce((sum, n) => sum + n, 0));
</script>

<div class="max-h-72 overflow-auto rounded-lg border border-gray-200 dark:border-gray-700">
  <table {@attach labelled} class="w-full text-sm" data-test="reading-steps">
    <tbody>
      {#each of.steps as step (step.does + step.name)}
        <tr class="border-b border-gray-100 align-top last:border-0 dark:border-gray-800">
          <td class="px-3 py-1.5 whitespace-nowrap {worrying(step.does) ? 'font-semibold text-copper-700 dark:text-copper-300' : 'quiet'}">{step.does}</td>
          <td class="px-3 py-1.5 font-semibold break-all">{step.name}</td>
          <td class="px-3 py-1.5">{step.what}</td>
        </tr>
      {/each}
    </tbody>
  </table>
</div>
{#if told > of.steps.length}<p class="quiet text-sm">and {told - of.steps.length} more</p>{/if}
