<!-- The rules that mean a user or group: directly, through groups, or as one of a built-in set. -->
<script lang="ts">
  import { asProblem, type Grant, type Problem, type Schemas } from "../lib/api";
  import { authority } from "../lib/authority.svelte";
  import { reach } from "../lib/directory";
  import { saveReach } from "../lib/csv";
  import { labelled } from "../lib/labelled";
  import { session } from "../lib/session.svelte";
  import { count, href } from "../lib/words";
  import GrantEditDialog from "./GrantEditDialog.svelte";
  import NewMark from "./NewMark.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import RevokeDialog from "./RevokeDialog.svelte";
  import RuleLine from "./RuleLine.svelte";
  import Who from "./Who.svelte";

  let { of, fresh = "", onchange }: { of: Schemas["PrincipalDetails"]; fresh?: string; onchange?: () => void } = $props();

  let chosen = $state.raw<Grant | null>(null);
  let revoking = $state(false);
  let editing = $state(false);

  const short = $derived(of.name.slice(of.name.lastIndexOf("/") + 1));

  let problem = $state.raw<Problem | null>(null);

  async function keep() {
    problem = null;
    try {
      saveReach(await reach(session.organisation, of.kind, of.name));
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  function direct(rule: Schemas["Rule"]): boolean {
    return rule.grant?.principal.kind === of.kind && rule.grant.principal.name === of.name;
  }
</script>

<section aria-labelledby="holds-heading">
  <div class="mb-2 flex items-baseline gap-4">
    <h2 id="holds-heading" class="text-lg font-semibold">Rules that name {short}</h2>
    <button type="button" class="link ml-auto text-sm" onclick={keep}>Save all that {short} reaches as CSV</button>
  </div>
  {#if problem}<div class="mb-3"><ProblemNote {problem} /></div>{/if}
  {#if of.rules.length === 0 && !of.hidden}
    <p class="card quiet px-5 py-4">None: no rule names {short}, nor a group {short} is in. All is denied.</p>
  {:else}
    <div class="card overflow-x-auto">
      <table {@attach labelled} class="rows" data-test="holds">
        <thead><tr><th>Rule</th><th>At, and all below</th><th>Through</th><th><span class="sr-only">Edit or revoke</span></th></tr></thead>
        <tbody>
          {#each of.rules as rule (rule.words + rule.scope.id)}
            <tr class={rule.grant && rule.grant.id === fresh ? "[&>td]:bg-primary-50! dark:[&>td]:bg-primary-950!" : ""}>
              <td><span class="flex flex-wrap items-center gap-x-3"><RuleLine {rule} who={false} />{#if rule.grant && rule.grant.id === fresh}<NewMark />{/if}</span></td>
              <td><a class="link address" href={href.scope(rule.scope.address)}>{rule.scope.address}</a></td>
              <td class="whitespace-nowrap">
                {#if direct(rule)}directly{:else if rule.grant}<Who who={rule.grant.principal} />{:else}<span class="quiet">the statement</span>{/if}
              </td>
              <td class="text-right whitespace-nowrap">
                {#if rule.grant && onchange && authority.may("revoke grant")}
                  {@const grant = rule.grant}
                  <button type="button" class="link me-3 text-sm" onclick={() => ((chosen = grant), (editing = true))} aria-label="Edit the grant of {grant.role} at {grant.scope.name}">Edit</button>
                  <button type="button" class="link text-sm" onclick={() => ((chosen = grant), (revoking = true))} aria-label="Revoke {grant.role} at {grant.scope.name}">Revoke</button>
                {/if}
              </td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
    {#if of.hidden}<p class="quiet mt-2">There are more rules that you may not see.</p>{/if}
  {/if}
</section>

{#if chosen && onchange}
  <RevokeDialog bind:open={revoking} grant={chosen} ondone={onchange} />
  <GrantEditDialog bind:open={editing} grant={chosen} ondone={onchange} />
{/if}
