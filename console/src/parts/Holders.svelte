<!-- Everybody who may do something somewhere and by which rules; apart from them who could give it to themselves. -->
<script lang="ts">
  import { asProblem, type Problem, type Schemas } from "../lib/api";
  import { holders } from "../lib/directory";
  import { saveHolders } from "../lib/csv";
  import { labelled } from "../lib/labelled";
  import { whenChanged } from "../lib/live.svelte";
  import { count, href } from "../lib/words";
  import ProblemNote from "./ProblemNote.svelte";
  import RuleLine from "./RuleLine.svelte";
  import Skeleton from "./Skeleton.svelte";
  import Term from "./Term.svelte";
  import Who from "./Who.svelte";

  let { permission, at }: { permission: string; at: string } = $props();

  let list = $state.raw<Schemas["HolderList"] | null>(null);
  let problem = $state.raw<Problem | null>(null);

  function load() {
    holders(at, permission).then(
      (found) => {
        list = found;
        problem = null;
      },
      (caught) => (problem = asProblem(caught)),
    );
  }
  $effect(load);
  whenChanged(load);
</script>

<section aria-labelledby="holders-heading" class="mt-6" data-test="holders">
  <div class="mb-2 flex items-baseline gap-4">
    <h2 id="holders-heading" class="text-lg font-semibold">Everybody who may {permission} there</h2>
    {#if list}{@const told = list}<button type="button" class="link ml-auto text-sm" onclick={() => saveHolders(told)}>Save as CSV</button>{/if}
  </div>
  {#if problem}
    {#if problem.status === 403}
      <p class="card quiet px-5 py-4">To see who else may, you need the permission <em>list grant</em> there.</p>
    {:else}
      <ProblemNote {problem} />
    {/if}
  {:else if !list}
    <Skeleton />
  {:else}
    {#if list.holders.length === 0}
      <p class="card quiet px-5 py-4">Nobody.</p>
    {:else}
      <div class="card overflow-x-auto">
        <table {@attach labelled} class="rows">
          <thead><tr><th>Who</th><th>Name</th><th>By</th></tr></thead>
          <tbody>
            {#each list.holders as holder (holder.principal.name)}
              <tr>
                <td><Who who={holder.principal} /></td>
                <td>{holder.title}</td>
                <td>
                  {#each holder.by as by (by.rule.words + by.rule.scope.id)}
                    <p class="flex flex-wrap items-center gap-x-2">
                      <RuleLine rule={by.rule} who={false} />
                      <span class="quiet">{by.through.length > 0 ? "through " + by.through.join(" in ") + ", from" : "from"}</span>
                      <a class="link" href={href.scope(by.rule.scope.address)} title={by.rule.scope.address}>{by.rule.scope.name}</a>
                    </p>
                  {/each}
                  {#if holder.conditional}<p class="text-sm text-copper-700 dark:text-copper-300">only if its condition is met</p>{/if}
                </td>
              </tr>
            {/each}
          </tbody>
        </table>
      </div>
    {/if}
    {#if list.couldHold.length > 0}
      <h3 class="mt-5 mb-2 font-semibold">{count(list.couldHold.length, "person", "people")} <Term word="could hold" shown="could give it to themselves" /></h3>
      <ul class="card" data-test="could-hold">
        {#each list.couldHold as hopeful (hopeful.principal.name)}
          <li class="flex items-center gap-4 border-b border-gray-100 px-4 py-2.5 last:border-0 dark:border-gray-800">
            <Who who={hopeful.principal} /><span>{hopeful.title}</span><span class="quiet ml-auto">{hopeful.paths.join("; ")}</span>
          </li>
        {/each}
      </ul>
    {/if}
  {/if}
</section>
