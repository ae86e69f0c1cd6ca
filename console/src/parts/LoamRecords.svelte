<!-- The records of a database, by way of a connection to it. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { asProblem, type Problem } from "../lib/api";
  import { labelled } from "../lib/labelled";
  import { loam, type Entry, type Resource } from "../lib/loam.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";
  import Skeleton from "./Skeleton.svelte";
  import TextInput from "./TextInput.svelte";

  let { resource }: { resource: Resource } = $props();

  let list = $state.raw<Entry[] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let key = $state("");
  let value = $state("");

  const may = (operation: string) => resource.acts.find((a) => a.operation === operation)?.on ?? false;

  async function run(operation: string, input: object = {}) {
    problem = null;
    try {
      if (operation !== "query") await loam.database(resource.address, operation, input);
      list = await loam.database<Entry[]>(resource.address, "query");
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    run("query");
  });

  async function write(event: Event) {
    event.preventDefault();
    await run("amend", { key, value });
    if (!problem) key = value = "";
  }
</script>

{#if problem}<div class="mb-3"><ProblemNote {problem} /></div>{/if}
{#if list}
  {#if list.length === 0}<p class="quiet mb-2">There is no record yet.</p>{/if}
  <div class="relative overflow-x-auto">
    <table {@attach labelled} class="rows" data-test="records">
      <tbody>
        {#each list as entry (entry.name)}
          <tr>
            <td class="w-48"><span class="address">{entry.name}</span></td>
            <td>{entry.value}</td>
            <td class="text-right">{#if may("purge")}<button type="button" class="link text-sm" onclick={() => run("purge", { key: entry.name })} aria-label="Purge {entry.name}">Purge</button>{/if}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
  {#if may("amend")}
    <form onsubmit={write} class="mt-3 flex flex-wrap gap-2">
      <div class="w-48"><TextInput name="key" bind:value={key} placeholder="Key" aria-label="Key" required /></div>
      <div class="min-w-0 flex-1"><TextInput name="value" bind:value placeholder="Value" aria-label="Value" /></div>
      <Button type="submit" size="sm">Amend</Button>
      <QuietButton size="sm" onclick={() => run("query")}>Query again</QuietButton>
    </form>
  {/if}
{:else if !problem}
  <Skeleton rows={2} />
{/if}
