<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { PlusOutline } from "flowbite-svelte-icons";
  import { asProblem, type Problem, type Role } from "../lib/api";
  import { authority } from "../lib/authority.svelte";
  import { Asked } from "../lib/asked.svelte";
  import { roles } from "../lib/directory";
  import { session } from "../lib/session.svelte";
  import { count } from "../lib/words";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import QuietButton from "../parts/QuietButton.svelte";
  import RoleFinder from "../parts/RoleFinder.svelte";
  import RoleName from "../parts/RoleName.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import TextInput from "../parts/TextInput.svelte";

  let list = $state.raw<Role[] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  const wanted = new Asked("find");

  $effect(() => {
    authority.load();
    roles(session.organisation, true).then(
      (found) => (list = found),
      (caught) => (problem = asProblem(caught)),
    );
  });

  const shown = $derived(list?.filter((r) => (r.name + " " + r.description).toLowerCase().includes(wanted.value.toLowerCase())) ?? []);
</script>

<Page title="Roles" lead="A role is a named set of permissions. Grant the narrowest one that does the job.">
  {#snippet actions()}
    <QuietButton size="sm" href="#/catalogue">Catalogue</QuietButton>
    <QuietButton size="sm" href="#/roles/compare">Compare two</QuietButton>
    {#if authority.may("create role")}<Button size="sm" href="#/roles/new"><PlusOutline class="me-2 h-4 w-4" />Define a role</Button>{/if}
  {/snippet}
  {#if problem}
    <ProblemNote {problem} />
  {:else if !list}
    <Skeleton rows={10} />
  {:else}
    <RoleFinder />
    <div class="mb-3 flex items-center gap-4">
      <div class="w-72"><TextInput type="search" bind:value={wanted.value} placeholder="Filter by name or purpose" aria-label="Filter by name or purpose" /></div>
      <span class="quiet">{count(shown.length, "role")}</span>
    </div>
    <div class="card overflow-x-auto">
      <table class="rows" data-test="roles">
        <thead><tr><th>Role</th><th>What it is for</th><th class="text-right!">Permissions</th></tr></thead>
        <tbody>
          {#each shown as role (role.name)}
            <tr>
              <td><RoleName name={role.name} privileged={role.privileged} />{#if role.scope}<span class="quiet block text-sm">defined at <span class="address">{role.scope.address}</span></span>{/if}</td>
              <td>{role.description}</td>
              <td class="text-right tabular-nums">{role.permissions}</td>
            </tr>
          {:else}
            <tr><td colspan="3" class="quiet">No role of that name or purpose.</td></tr>
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
</Page>
