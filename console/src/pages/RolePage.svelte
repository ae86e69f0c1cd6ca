<!-- A role as a grid: resource types down, classes across, each operation in its cell. -->
<script lang="ts">
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { session } from "../lib/session.svelte";
  import { capital, count, href, terms } from "../lib/words";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import RoleName from "../parts/RoleName.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import Who from "../parts/Who.svelte";

  let { params }: { params?: { name: string } } = $props();

  const classes = ["observe", "operate", "modify", "destroy", "govern"] as const;
  let details = $state.raw<Schemas["RoleDetails"] | null>(null);
  let problem = $state.raw<Problem | null>(null);

  $effect(() => {
    ask(api.GET("/scopes/{scope}/roles/{role}", { params: { path: { scope: session.organisation, role: params?.name ?? "" } } })).then(
      (found) => (details = found),
      (caught) => (problem = asProblem(caught)),
    );
  });

  const rows = $derived.by(() => {
    const byKey = new Map<string, { service: string; type: string; plane: string; cells: Record<string, string[]> }>();
    for (const o of details?.operations ?? []) {
      const key = o.type + "/" + o.plane;
      const row = byKey.get(key) ?? { service: o.service, type: o.type, plane: o.plane, cells: {} };
      (row.cells[o.class] ??= []).push(o.operation);
      byKey.set(key, row);
    }
    return [...byKey.values()];
  });
</script>

<Page title={details?.role.title ?? params?.name ?? ""} lead={details?.role.description}>
  {#if problem}
    <ProblemNote {problem} />
  {:else if !details}
    <Skeleton rows={10} />
  {:else}
    <p class="mb-3 flex items-center gap-4"><RoleName name={details.role.name} privileged={details.role.privileged} linked={false} /><span class="quiet">{count(details.role.permissions, "permission")} on {count(new Set(rows.map((r) => r.type)).size, "type")}, by class of act{details.role.scope ? "; defined at " + details.role.scope.address : ""}</span></p>
    <!-- svelte-ignore a11y_no_noninteractive_tabindex: what scrolls must be reached by keyboard -->
    <div class="card overflow-x-auto" role="region" aria-label="Permissions" tabindex="0">
      <table class="rows">
        <thead>
          <tr><th>Service</th><th>Type</th><th>Plane</th>{#each classes as c (c)}<th class={c === "govern" ? "text-copper-700! dark:text-copper-300!" : ""}>{capital(c)}</th>{/each}</tr>
        </thead>
        <tbody>
          {#each rows as row, i (row.type + row.plane)}
            <tr>
              <td class="quiet">{rows[i - 1]?.service === row.service ? "" : row.service}</td>
              <td class="font-semibold">{row.type}</td>
              <td class={row.plane === "data" ? "font-semibold" : "quiet"}>{row.plane}</td>
              {#each classes as c (c)}
                <td class={c === "govern" ? "text-copper-700 dark:text-copper-300" : ""}>{(row.cells[c] ?? []).join(", ")}</td>
              {/each}
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
    <section aria-labelledby="used-heading" class="mt-6">
      <h2 id="used-heading" class="mb-2 text-lg font-semibold">Where it is used</h2>
      {#if details.grants.length + details.statements.length + details.hidden === 0}
        <p class="card quiet px-5 py-4">Nowhere: nobody holds it by a grant, and no statement names it.</p>
      {:else}
        <ul class="card" data-test="used">
          {#each details.grants as grant (grant.id)}
            <li class="flex flex-wrap items-center gap-x-3 border-b border-gray-100 px-5 py-2.5 last:border-0 dark:border-gray-800">
              <Who who={grant.principal} />
              {#if terms(grant)}<span class="quiet">{terms(grant)}</span>{/if}
              <a class="link address ml-auto" href={href.scope(grant.scope.address)}>{grant.scope.address}</a>
            </li>
          {/each}
          {#each details.statements as statement (statement.policy.id + statement.number)}
            <li class="flex flex-wrap items-center gap-x-3 border-b border-gray-100 px-5 py-2.5 last:border-0 dark:border-gray-800">
              <code class="statement">{statement.text}</code><a class="link text-sm" href={href.policy(statement.policy.id)}>{statement.policy.name}</a>
              <a class="link address ml-auto" href={href.scope(statement.place.address)}>{statement.place.address}</a>
            </li>
          {/each}
        </ul>
        {#if details.hidden > 0}<p class="quiet mt-2">{count(details.hidden, "more use")} that you may not see.</p>{/if}
      {/if}
    </section>
  {/if}
</Page>
