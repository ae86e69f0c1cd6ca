<!-- Every statement of the organisation in one list, found by its words: nobody has to remember where a policy was put. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { api, ask, type Schemas } from "../lib/api";
  import type { Column, Filter, Question } from "../lib/lists";
  import { session } from "../lib/session.svelte";
  import { href } from "../lib/words";
  import ActOnPolicies from "../parts/ActOnPolicies.svelte";
  import List from "../parts/List.svelte";
  import Page from "../parts/Page.svelte";

  type Statement = Schemas["Statement"];
  const columns: Column<Statement>[] = [
    { key: "text", word: "Statement", value: (s) => s.text, sorts: true },
    { key: "place", word: "Applies at", value: (s) => s.place.address + (s.here ? " alone" : ""), sorts: true },
    { key: "policy", word: "Policy", value: (s) => s.policy.name, sorts: true },
    { key: "attached", word: "Attached to", value: (s) => s.policy.scope.address, spare: true },
    { key: "state", word: "State", value: (s) => (s.suspended ? "suspended" : s.dormant ? "dormant" : "in use"), spare: true },
  ];
  const filters: Filter[] = [
    { key: "modal", label: "Statement", options: ["may", "may only", "may never"].map((word) => ({ value: word, word })) },
    { key: "state", label: "Policy", options: [{ value: "active", word: "in use" }, { value: "suspended", word: "suspended" }] },
  ];

  let hidden = $state(false);

  async function read(query: Question) {
    const { statements, ...rest } = await ask(api.GET("/organisations/{organisation}/statements", { params: { path: { organisation: session.organisation }, query: query as object } }));
    hidden = rest.hidden;
    return { items: statements, ...rest };
  }
</script>

<Page wide title="Policies" lead="Statements that give, cut off or cap access, wherever they were written.">
  {#snippet actions()}<Button size="sm" href={href.newPolicy(session.organisation)}>Create a policy</Button>{/snippet}
  <List name="statements found" one="statement" {columns} {filters} find="Words in a statement, a policy or a place" {read} id={(s: Statement) => `${s.policy.id} ${s.number}`} label={(s: Statement) => `statement ${s.number} of ${s.policy.name}`}
    empty="There are no policies yet. Grants give access without any; a policy can also cut off and cap.">
    {#snippet acts(chosen: Statement[], clear: () => void)}<ActOnPolicies {chosen} ondone={clear} />{/snippet}
    {#snippet cell(statement: Statement, column: string)}
      {#if column === "text"}<code class="statement">{statement.text}</code>
      {:else if column === "place"}
        <a class="link address" href={href.scope(statement.place.address)}>{statement.place.address}</a>
        <span class="quiet text-sm">{statement.here ? "alone" : "and below"}</span>
        {#if statement.suspended}<span class="block text-sm text-copper-700 dark:text-copper-300">suspended with its policy: it decides nothing</span>{/if}
        {#if statement.dormant}<span class="block text-sm text-copper-700 dark:text-copper-300">dormant: it has left the policy's scope</span>{/if}
      {:else if column === "policy"}<a class="link" href={href.policy(statement.policy.id)}>{statement.policy.name}</a>
      {:else if column === "attached"}<a class="link address" href={href.scope(statement.policy.scope.address)}>{statement.policy.scope.address}</a>
      {:else}{columns.find((c) => c.key === column)?.value(statement)}{/if}
    {/snippet}
  </List>
  {#if hidden}<p class="quiet mt-2">There are statements that you may not see.</p>{/if}
</Page>
