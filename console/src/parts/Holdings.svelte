<!-- The rules that mean a user or group: directly, through groups, or as one of a built-in set. -->
<script lang="ts">
  import { asProblem, type Problem, type Schemas } from "../lib/api";
  import { reach } from "../lib/directory";
  import { saveReach } from "../lib/csv";
  import { session } from "../lib/session.svelte";
  import { count, href } from "../lib/words";
  import NewMark from "./NewMark.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import RuleLine from "./RuleLine.svelte";
  import Who from "./Who.svelte";

  let { of, fresh = "" }: { of: Schemas["PrincipalDetails"]; fresh?: string } = $props();

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
      <table class="rows" data-test="holds">
        <thead><tr><th>Rule</th><th>At, and all below</th><th>Through</th></tr></thead>
        <tbody>
          {#each of.rules as rule (rule.words + rule.scope.id)}
            <tr class={rule.grant && rule.grant.id === fresh ? "[&>td]:bg-primary-50! dark:[&>td]:bg-primary-950!" : ""}>
              <td><span class="flex flex-wrap items-center gap-x-3"><RuleLine {rule} who={false} />{#if rule.grant && rule.grant.id === fresh}<NewMark />{/if}</span></td>
              <td><a class="link address" href={href.scope(rule.scope.address)}>{rule.scope.address}</a></td>
              <td>
                {#if direct(rule)}directly{:else if rule.grant}<Who who={rule.grant.principal} />{:else}<span class="quiet">the statement</span>{/if}
              </td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
    {#if of.hidden}<p class="quiet mt-2">There are more rules that you may not see.</p>{/if}
  {/if}
</section>
