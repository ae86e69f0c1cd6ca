<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { PlusOutline } from "flowbite-svelte-icons";
  import { asProblem, type Problem, type Role } from "../lib/api";
  import { authority } from "../lib/authority.svelte";
  import { QueryParam } from "../lib/queryparam.svelte";
  import { roles } from "../lib/directory";
  import { labelled } from "../lib/labelled";
  import { whenChanged } from "../lib/live.svelte";
  import { session } from "../lib/session.svelte";
  import { of } from "../lib/words";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import QuietButton from "../parts/QuietButton.svelte";
  import RoleFinder from "../parts/RoleFinder.svelte";
  import RoleName from "../parts/RoleName.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import TextInput from "../parts/TextInput.svelte";

  let list = $state.raw<Role[] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  const wanted = new QueryParam("find");
  const service = new QueryParam("service");
  const plane = new QueryParam("plane");
  const may = new QueryParam("may"); // govern: privileged roles alone; not: all but those

  function load() {
    roles(session.organisation, true).then(
      (found) => ([list, problem] = [found, null]),
      (caught) => (problem = asProblem(caught)),
    );
  }
  $effect(() => {
    authority.load();
    load();
  });
  whenChanged(load, () => ({ kinds: ["role", "scope"] }));

  const services = $derived([...new Set(list?.flatMap((r) => r.services))].sort());
  const shown = $derived(
    list?.filter(
      (r) =>
        `${r.name} ${r.title} ${r.description}`.toLowerCase().includes(wanted.value.trim().toLowerCase()) &&
        (!service.value || r.services.includes(service.value)) &&
        (!plane.value || r.planes.some((p) => p === plane.value)) &&
        (!may.value || r.privileged === (may.value === "govern")),
    ) ?? [],
  );
</script>

<Page title="Roles" lead="A role is a named set of permissions. Grant the narrowest one that does the job.">
  {#snippet actions()}
    <QuietButton size="sm" href="#/catalogue">Catalogue</QuietButton>
    <QuietButton size="sm" href="#/roles/compare">Compare two</QuietButton>
    {#if authority.may("create role")}<Button size="sm" href="#/roles/new"><PlusOutline class="me-2 h-4 w-4" />Create a role</Button>{/if}
  {/snippet}
  {#if problem}
    <ProblemNote {problem} />
  {:else if !list}
    <Skeleton rows={10} />
  {:else}
    <RoleFinder />
    <div class="mb-3 flex flex-wrap items-center gap-3">
      <div class="w-72"><TextInput type="search" bind:value={wanted.value} placeholder="Filter by name or purpose" aria-label="Filter by name or purpose" /></div>
      <select bind:value={service.value} aria-label="Service" class="field">
        <option value="">any service</option>
        {#each services as name (name)}<option value={name}>{name}</option>{/each}
      </select>
      <select bind:value={plane.value} aria-label="Plane" class="field">
        <option value="">either plane</option>
        <option value="control">control plane</option>
        <option value="data">data plane</option>
      </select>
      <select bind:value={may.value} aria-label="Whether it can govern" class="field">
        <option value="">privileged or not</option>
        <option value="govern">privileged</option>
        <option value="not">not privileged</option>
      </select>
      <span class="quiet ml-auto">{of(shown.length, list.length, "role")}</span>
    </div>
    <div class="card overflow-x-auto">
      <table {@attach labelled} class="rows" data-test="roles">
        <thead><tr><th>Role</th><th>Purpose</th><th class="text-right!">Permissions</th></tr></thead>
        <tbody>
          {#each shown as role (role.name)}
            <tr>
              <td><RoleName name={role.name} privileged={role.privileged} />{#if role.scope}<span class="quiet block text-sm">defined at <span class="address">{role.scope.address}</span></span>{/if}</td>
              <td>{role.description}</td>
              <td class="text-right tabular-nums">{role.permissions}</td>
            </tr>
          {:else}
            <tr><td colspan="3" class="quiet">No role matches: remove a filter.</td></tr>
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
</Page>
