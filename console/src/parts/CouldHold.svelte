<!-- What somebody could give themselves by one change, where and how: access that no rule shows and that is theirs to take. -->
<script lang="ts">
  import { api, ask, type Schemas } from "../lib/api";
  import { labelled } from "../lib/labelled";
  import { Reading } from "../lib/reading.svelte";
  import { session } from "../lib/session.svelte";
  import { capital, count, href } from "../lib/words";
  import ProblemNote from "./ProblemNote.svelte";

  let { kind, name }: { kind: Schemas["PrincipalKind"]; name: string } = $props();

  const read = new Reading(() => ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}/could-hold", { params: { path: { organisation: session.organisation, kind, principal: name } } })));
  const found = $derived(read.value);
  let opened = $state(-1);

  const short = $derived(name.slice(name.lastIndexOf("/") + 1));
</script>

<section aria-labelledby="could-heading" class="mt-7" data-test="could-hold">
  <h2 id="could-heading" class="mb-2 text-lg font-semibold">Access that {short} could take</h2>
  {#if read.problem}
    <ProblemNote problem={read.problem} />
  {:else if !found}
    <p class="quiet">…</p>
  {:else if found.powers.length === 0}
    <p class="card quiet px-5 py-4">{found.hidden ? "Nothing at the places whose grants you may list." : `Nothing: ${short} can add nothing to what the rules give.`}</p>
  {:else}
    <div class="card overflow-x-auto">
      <table {@attach labelled} class="rows">
        <thead><tr><th>At, and everything below</th><th>How</th><th>Adds</th></tr></thead>
        <tbody>
          {#each found.powers as power, i (i)}
            <tr class="align-top">
              <td><a class="link address" href={href.scope(power.scope.address)}>{power.scope.address}</a></td>
              <td>{capital(power.way)}</td>
              <td>
                <button type="button" class="link" aria-expanded={opened === i} onclick={() => (opened = opened === i ? -1 : i)}>{count(power.gains.length, "permission")}</button>
                {#if opened === i}<p class="mt-1 text-sm">{power.gains.join(", ")}</p>{/if}
              </td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
    {#if found.hidden}<p class="quiet mt-2">There may be more at places whose grants you may not list.</p>{/if}
  {/if}
</section>
