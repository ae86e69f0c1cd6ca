<!-- The roles there are, found by what they are for. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { PlusOutline } from "flowbite-svelte-icons";
  import { api, ask, type Role } from "../lib/api";
  import { authority } from "../lib/authority.svelte";
  import { catalogueOf } from "../lib/catalogue";
  import type { Column, Filter, Question } from "../lib/lists";
  import { session } from "../lib/session.svelte";
  import { href } from "../lib/words";
  import List from "../parts/List.svelte";
  import Page from "../parts/Page.svelte";
  import QuietButton from "../parts/QuietButton.svelte";
  import RoleFinder from "../parts/RoleFinder.svelte";
  import RoleName from "../parts/RoleName.svelte";

  const columns: Column<Role>[] = [
    { key: "name", word: "Role", value: (r) => r.name, sorts: true },
    { key: "purpose", word: "Purpose", value: (r) => r.description, sorts: true },
    { key: "services", word: "Services", value: (r) => r.services.join(", "), spare: true },
    { key: "planes", word: "Planes", value: (r) => r.planes.join(", "), spare: true },
    { key: "classes", word: "Classes", value: (r) => r.classes.join(", ") },
    { key: "defined", word: "Defined at", value: (r) => r.scope?.address ?? "", spare: true },
    { key: "permissions", word: "Permissions", value: (r) => String(r.permissions), sorts: true, number: true },
  ];
  const filters: Filter[] = [
    { key: "service", label: "Service", placeholder: "Of a service", names: async () => (await catalogueOf(session.organisation)).services.map((s) => ({ value: s.name, hint: s.title })) },
    { key: "plane", label: "Plane", options: [{ value: "control", word: "control" }, { value: "data", word: "data" }] },
    { key: "privileged", label: "Privileged", options: [{ value: "yes", word: "yes" }, { value: "no", word: "no" }] },
  ];

  $effect(() => void authority.load());

  async function read(query: Question) {
    const { roles, ...rest } = await ask(api.GET("/scopes/{scope}/roles", { params: { path: { scope: session.organisation }, query: { ...query, all: true } as object } }));
    return { items: roles, ...rest };
  }
</script>

<Page wide title="Roles" lead="A role is a named set of permissions. Grant the narrowest one that does the job.">
  {#snippet actions()}
    <QuietButton size="sm" href="#/catalogue">Catalogue</QuietButton>
    <QuietButton size="sm" href="#/roles/compare">Compare two</QuietButton>
    {#if authority.may("create role")}<Button size="sm" href="#/roles/new"><PlusOutline class="me-2 h-4 w-4" />Create a role</Button>{/if}
  {/snippet}
  <RoleFinder />
  <List name="roles" one="role" {columns} {filters} find="Find by name or purpose" {read} id={(r: Role) => r.name} label={(r: Role) => r.name}
    shows={() => ({ kinds: ["role", "scope"] })} empty="There are no roles.">
    {#snippet acts(chosen: Role[])}
      {#if chosen.length === 2}<a class="link" href="#/roles/compare?{new URLSearchParams({ first: chosen[0]!.name, second: chosen[1]!.name })}">Compare them</a>
      {:else}<span class="quiet">Choose two to compare them.</span>{/if}
    {/snippet}
    {#snippet cell(role: Role, column: string)}
      {#if column === "name"}<RoleName name={role.name} privileged={role.privileged} />{#if role.scope}<span class="quiet block text-sm">defined at <span class="address">{role.scope.address}</span></span>{/if}
      {:else if column === "defined"}{#if role.scope}<a class="link address" href={href.scope(role.scope.address)}>{role.scope.address}</a>{/if}
      {:else}{columns.find((c) => c.key === column)?.value(role)}{/if}
    {/snippet}
  </List>
</Page>
