<!-- The rules that mean a user or group: directly, through groups, or as one of a built-in set. -->
<script lang="ts">
  import type { Schemas } from "../lib/api";
  import { count, href } from "../lib/words";
  import RuleLine from "./RuleLine.svelte";
  import Who from "./Who.svelte";

  let { of }: { of: Schemas["PrincipalDetails"] } = $props();

  const short = $derived(of.name.slice(of.name.lastIndexOf("/") + 1));

  function direct(rule: Schemas["Rule"]): boolean {
    return rule.grant?.principal.kind === of.kind && rule.grant.principal.name === of.name;
  }
</script>

<section aria-labelledby="holds-heading">
  <h2 id="holds-heading" class="mb-2 text-lg font-semibold">Rules that name {short}</h2>
  {#if of.rules.length === 0 && of.hidden === 0}
    <p class="card quiet px-5 py-4">None: no rule names {short}, nor a group {short} is in. All is denied.</p>
  {:else}
    <div class="card overflow-x-auto">
      <table class="rows" data-test="holds">
        <thead><tr><th>Rule</th><th>At, and all beneath</th><th>Through</th></tr></thead>
        <tbody>
          {#each of.rules as rule (rule.words + rule.scope.id)}
            <tr>
              <td><span class="flex flex-wrap items-center gap-x-3"><RuleLine {rule} who={false} /></span></td>
              <td><a class="link address" href={href.scope(rule.scope.address)}>{rule.scope.address}</a></td>
              <td>
                {#if direct(rule)}directly{:else if rule.grant}<Who who={rule.grant.principal} />{:else}<span class="quiet">the statement</span>{/if}
              </td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
    {#if of.hidden > 0}<p class="quiet mt-2">{count(of.hidden, "more rule")} that you may not see.</p>{/if}
  {/if}
</section>
