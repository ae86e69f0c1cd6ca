<!-- Every statement of the organisation in one list, found by its words: nobody has to remember where a policy was put. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { type Problem, type Schemas } from "../lib/api";
  import { asking } from "../lib/asking";
  import { statements } from "../lib/directory";
  import { labelled } from "../lib/labelled";
  import { QueryParam } from "../lib/queryparam.svelte";
  import { live } from "../lib/live.svelte";
  import { session } from "../lib/session.svelte";
  import { count, href } from "../lib/words";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import TextInput from "../parts/TextInput.svelte";

  let found = $state.raw<Schemas["StatementList"] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  const words = new QueryParam("words");

  $effect(() => {
    void live.revision;
    const wanted = words.value.trim();
    return asking(() => statements(session.organisation, wanted), (list) => ([found, problem] = [list, null]), (caught) => (problem = caught));
  });
</script>

<Page title="Policies" lead="Statements that give, cut off or cap access, wherever they were written.">
  {#if problem}
    <ProblemNote {problem} />
  {:else if !found}
    <Skeleton rows={6} />
  {:else}
    <div class="mb-3 flex flex-wrap items-center gap-4">
      <div class="w-80"><TextInput type="search" bind:value={words.value} placeholder="Words in a statement, a policy or a place" aria-label="Words in a statement, a policy or a place" /></div>
      <span class="quiet">{count(found.statements.length, "statement")}</span>
      <Button class="ml-auto" size="sm" href={href.newPolicy(session.organisation)}>Create a policy</Button>
    </div>
    <div class="card overflow-x-auto">
      <table {@attach labelled} class="rows" data-test="statements-found">
        <thead><tr><th>Statement</th><th>Applies at</th><th>Policy</th></tr></thead>
        <tbody>
          {#each found.statements as statement (statement.policy.id + statement.number)}
            <tr>
              <td><code class="statement">{statement.text}</code></td>
              <td>
                <a class="link address" href={href.scope(statement.place.address)}>{statement.place.address}</a>
                <span class="quiet text-sm">{statement.here ? "alone" : "and below"}</span>
                {#if statement.suspended}<span class="block text-sm text-copper-700 dark:text-copper-300">suspended with its policy: it decides nothing</span>{/if}
                {#if statement.dormant}<span class="block text-sm text-copper-700 dark:text-copper-300">dormant: it has left the policy's scope</span>{/if}
              </td>
              <td><a class="link" href={href.policy(statement.policy.id)}>{statement.policy.name}</a></td>
            </tr>
          {:else}
            <tr><td colspan="3" class="quiet">{words.value ? "No statement holds these words." : "There are no policies yet. Grants give access without any; a policy can also cut off and cap."}</td></tr>
          {/each}
        </tbody>
      </table>
    </div>
    {#if found.hidden}<p class="quiet mt-2">There are statements that you may not see.</p>{/if}
  {/if}
</Page>
