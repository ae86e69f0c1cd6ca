<!-- What the words of Arbora mean. -->
<script lang="ts">
  import rows from "../../../docs/glossary.md?words";
  import { QueryParam } from "../lib/queryparam.svelte";
  import { of } from "../lib/words";
  import Page from "../parts/Page.svelte";
  import TextInput from "../parts/TextInput.svelte";

  const wanted = new QueryParam("find");
  const shown = $derived(rows.filter((row) => `${row.word} ${row.meaning}`.toLowerCase().includes(wanted.value.trim().toLowerCase())));
</script>

<Page title="Glossary" lead="One word for one thing: what the words in Arbora mean.">
  <div class="mb-4 flex items-center gap-4">
    <div class="w-72"><TextInput type="search" bind:value={wanted.value} placeholder="Find a word" aria-label="Find a word" /></div>
    <span class="quiet">{of(shown.length, rows.length, "entry", "entries")}</span>
  </div>
  <dl class="card divide-y divide-gray-100 dark:divide-gray-800" data-test="glossary">
    {#each shown as row (row.word)}
      <div class="grid grid-cols-[16rem_1fr] gap-4 px-5 py-2.5 max-sm:grid-cols-1 max-sm:gap-0"><dt class="font-semibold">{row.word}</dt><dd>{@html row.meaning}</dd></div>
    {:else}
      <p class="quiet px-5 py-4">No entry has that word.</p>
    {/each}
  </dl>
</Page>
