<!-- A role as a grid: resource types down, classes across, each operation in its cell. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { PlusOutline } from "flowbite-svelte-icons";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { authority } from "../lib/authority.svelte";
  import { whenChanged } from "../lib/live.svelte";
  import { session } from "../lib/session.svelte";
  import { count, href, terms } from "../lib/words";
  import GrantDialog from "../parts/GrantDialog.svelte";
  import NewMark from "../parts/NewMark.svelte";
  import Page from "../parts/Page.svelte";
  import PageProblem from "../parts/PageProblem.svelte";
  import QuietButton from "../parts/QuietButton.svelte";
  import RoleDialog from "../parts/RoleDialog.svelte";
  import RoleGrid from "../parts/RoleGrid.svelte";
  import RoleName from "../parts/RoleName.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import Term from "../parts/Term.svelte";
  import Who from "../parts/Who.svelte";

  let { params }: { params?: { name: string } } = $props();

  let details = $state.raw<Schemas["RoleDetails"] | null>(null);
  let problem = $state.raw<Problem | null>(null);

  let granting = $state(false);
  let deleting = $state(false);
  let fresh = $state(""); // the id of a grant just made

  function load() {
    ask(api.GET("/scopes/{scope}/roles/{role}", { params: { path: { scope: session.organisation, role: params?.name ?? "" } } })).then(
      (found) => (details = found),
      (caught) => (problem = asProblem(caught)),
    );
  }
  whenChanged(load);
  $effect(() => {
    authority.load();
    load();
  });
</script>

<Page title={details?.role.title ?? params?.name ?? ""} lead={details?.role.description}>
  {#snippet actions()}
    {#if details}<QuietButton size="sm" href={"#/roles/compare?" + new URLSearchParams({ first: details.role.name }).toString()}>Compare</QuietButton>{/if}
    {#if details?.may.includes("edit role")}<QuietButton size="sm" href={href.role(details.role.name) + "/edit"}>Edit</QuietButton>{/if}
    {#if details?.may.includes("retire role")}<QuietButton size="sm" onclick={() => (deleting = true)}>Delete role</QuietButton>{/if}
    {#if details && authority.may("create grant")}<Button size="sm" onclick={() => (granting = true)}><PlusOutline class="me-2 h-4 w-4" />Grant it</Button>{/if}
  {/snippet}
  {#if problem}
    <PageProblem {problem} />
  {:else if !details}
    <Skeleton rows={10} />
  {:else}
    <p class="mb-3 flex items-center gap-4"><RoleName name={details.role.name} privileged={details.role.privileged} linked={false} /><span class="quiet">{count(details.role.permissions, "permission")} on {count(new Set(details.operations.map((o) => o.type)).size, "type")}, by <Term word="class" /> of act{details.role.scope ? "; defined at " + details.role.scope.address : ""}</span></p>
    {@const under = details.role.under ?? []}
    {#if under.length > 0 || details.role.hidden}
      <p class="mb-3" data-test="under">
        May be granted under {#each under as at, i (at.id)}{i > 0 ? ", " : ""}<a class="link address" href={href.scope(at.address)}>{at.address}</a>{/each}{#if details.role.hidden}{under.length > 0 ? " and " : ""}scopes that you do not see{/if} alone.
      </p>
    {/if}
    <RoleGrid operations={details.operations} />
    <section aria-labelledby="used-heading" class="mt-6">
      <h2 id="used-heading" class="mb-2 text-lg font-semibold">Where it is used</h2>
      {#if details.grants.length + details.statements.length === 0 && !details.hidden}
        <p class="card quiet px-5 py-4">Nowhere: nobody holds it by a grant, and no statement names it.</p>
      {:else}
        <ul class="card" data-test="used">
          {#each details.grants as grant (grant.id)}
            <li class="flex flex-wrap items-center gap-x-3 border-b border-gray-100 px-5 py-2.5 last:border-0 dark:border-gray-800">
              <Who who={grant.principal} />{#if grant.id === fresh}<NewMark />{/if}
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
        {#if details.hidden}<p class="quiet mt-2">There are more uses that you may not see.</p>{/if}
      {/if}
    </section>
    <RoleDialog bind:open={deleting} {details} />
    <GrantDialog bind:open={granting} prepared={{ role: details.role.name }} ondone={(id) => ((fresh = id), load())} />
  {/if}
</Page>
