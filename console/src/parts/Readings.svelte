<!-- What the last readings of a directory found and did. -->
<script lang="ts">
  import type { Schemas } from "../lib/api";
  import { summary } from "../lib/readings";
  import { moment } from "../lib/words";
  import ReadingSteps from "./ReadingSteps.svelte";

  let { readings }: { readings: Schemas["DirectoryReading"][] } = $props();

  const first = 5;
  let all = $state(false);
  let open = $state(""); // the reading whose steps are shown
</script>

{#if readings.length === 0}
  <p class="quiet">It was not read yet.</p>
{:else}
  <div class="card overflow-x-auto">
    <table class="w-full" data-test="readings">
      <thead><tr class="quiet border-b border-gray-200 text-left text-sm dark:border-gray-700"><th class="px-5 py-2 font-normal">Reading</th><th class="px-3 py-2 font-normal">By</th><th class="px-3 py-2 font-normal">Outcome</th><th class="px-3 py-2 text-right font-normal">People</th><th class="px-5 py-2 font-normal"><span class="sr-only">Steps</span></th></tr></thead>
      <tbody>
        {#each all ? readings : readings.slice(0, first) as r (r.id)}
          <tr class="border-b border-gray-100 align-top last:border-0 dark:border-gray-800">
            <td class="px-5 py-2 whitespace-nowrap">{moment(r.beganAt)}</td>
            <td class="px-3 py-2">{r.by}{#if r.file}<span class="quiet block text-sm">from a file</span>{/if}</td>
            <td class="px-3 py-2">
              {#if r.outcome === "failed" || r.outcome === "stopped"}<span class="font-semibold text-copper-700 dark:text-copper-300">{r.outcome === "failed" ? "Failed" : "Stopped, nothing was done"}</span><span class="block text-sm">{r.why}</span>
              {:else}{summary(r)}{/if}
            </td>
            <td class="px-3 py-2 text-right">{r.people}</td>
            <td class="px-5 py-2 text-right">{#if r.steps.length > 0}<button type="button" class="link" aria-expanded={open === r.id} onclick={() => (open = open === r.id ? "" : r.id)}>{open === r.id ? "Hide" : "Show"}</button>{/if}</td>
          </tr>
          {#if open === r.id}<tr><td colspan="5" class="px-5 pb-3"><ReadingSteps of={r} /></td></tr>{/if}
        {/each}
      </tbody>
    </table>
  </div>
  {#if readings.length > first}<button type="button" class="link mt-2" aria-expanded={all} onclick={() => (all = !all)}>{all ? "Show fewer" : `Show all ${readings.length}`}</button>{/if}
{/if}
