<!-- From what somebody should be able to do to the roles that hold it, those with least beyond first. -->
<script lang="ts">
  import { CloseOutline } from "flowbite-svelte-icons";
  import { untrack } from "svelte";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { authority } from "../lib/authority.svelte";
  import { QueryParam } from "../lib/queryparam.svelte";
  import { catalogueOf } from "../lib/catalogue";
  import { whenChanged } from "../lib/live.svelte";
  import { session } from "../lib/session.svelte";
  import { count } from "../lib/words";
  import Choice from "./Choice.svelte";
  import Field from "./Field.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import RoleName from "./RoleName.svelte";

  const asked = new QueryParam("wanted"); // permissions, apart by commas
  const wanted = $derived(asked.value.split(",").filter(Boolean));
  let typed = $state("");
  let known = $state.raw<{ value: string; hint: string }[]>([]);
  let ranking = $state.raw<Schemas["RankedRole"][]>([]);
  let problem = $state.raw<Problem | null>(null);

  $effect(() => {
    catalogueOf(session.organisation).then(
      (catalogue) => {
        known = catalogue.services.flatMap((s) => s.types.flatMap((t) => t.operations.map((o) => ({ value: `${o.operation} ${o.type}`, hint: `${o.class}, ${o.plane} plane` }))));
      },
      (caught) => (problem = asProblem(caught)),
    );
  });

  // rank tells whether the permissions are known, and then wants them. An answer that comes after another was asked for is left aside.
  let turn = 0;
  async function rank(permissions: string[]): Promise<boolean> {
    const mine = ++turn;
    problem = null;
    try {
      const { roles } = permissions.length > 0 ? await ask(api.POST("/scopes/{scope}/ranking", { params: { path: { scope: session.organisation } }, body: { permissions } })) : { roles: [] };
      if (mine !== turn) return true;
      ranking = roles;
      asked.value = permissions.join(",");
      return true;
    } catch (caught) {
      problem = asProblem(caught);
      return false;
    }
  }
  const again = () => void rank(wanted);
  $effect(() => untrack(again));
  whenChanged(again);

  async function add(event: Event) {
    event.preventDefault();
    const permission = typed.trim();
    if (permission && !wanted.includes(permission) && (await rank([...wanted, permission]))) typed = "";
  }

  // A comma ends a permission, so that a list of them can be typed or pasted; what nobody knows stays in the field.
  $effect(() => {
    if (!typed.includes(",") || known.length === 0) return;
    const names = typed.split(",").map((name) => name.trim()).filter(Boolean);
    const found = names.filter((name) => known.some((k) => k.value === name));
    typed = names.filter((name) => !found.includes(name)).join(" ");
    untrack(() => {
      asked.value = [...new Set([...wanted, ...found])].join(",");
      void rank(wanted);
    });
  });
</script>

<section class="card mb-6 p-5" aria-labelledby="finder-heading" data-test="finder">
  <h2 id="finder-heading" class="mb-3 text-lg font-semibold">Find the narrowest role for a job</h2>
  <form onsubmit={add} class="grid grid-cols-[20rem_1fr] items-start gap-5 max-md:grid-cols-1">
    <Field label="What somebody should be able to do" name="permissions" {problem} hint="An operation and a type; Enter or a comma adds it.">
      {#snippet children(id)}<Choice {id} name="wanted" bind:value={typed} options={known} placeholder="fetch object" />{/snippet}
    </Field>
    <div>
      {#if wanted.length > 0}
        <ul class="mb-3 flex flex-wrap gap-2" aria-label="Wanted">
          {#each wanted as permission (permission)}
            <li class="flex items-center gap-1.5 rounded-full bg-primary-100 py-0.5 pr-1.5 pl-3 dark:bg-primary-900">
              {permission}
              <button type="button" aria-label="Leave out {permission}" class="rounded-full p-0.5 hover:bg-primary-200 dark:hover:bg-primary-800" onclick={() => rank(wanted.filter((w) => w !== permission))}>
                <CloseOutline class="h-3.5 w-3.5" />
              </button>
            </li>
          {/each}
        </ul>
        {#if ranking.length === 0}
          <p>No single role holds all of it: ask for less, or grant two{authority.may("create role") ? ", or create one" : ""}.</p>
        {:else}
          <ol class="space-y-1.5" data-test="ranking">
            {#each ranking.slice(0, 4) as ranked, i (ranked.role.name)}
              <li class="flex flex-wrap items-center gap-x-3 {i === 0 ? '' : 'opacity-80'}">
                <RoleName name={ranked.role.name} privileged={ranked.role.privileged} />
                <span class="quiet">{ranked.beyond === 0 ? "exactly that" : count(ranked.beyond, "permission") + " beyond"}</span>
              </li>
            {/each}
          </ol>
        {/if}
        {#if authority.may("create role")}<p class="mt-3"><a class="link" href={"#/roles/new?" + new URLSearchParams({ wanted: asked.value }).toString()}>Create a role of exactly {wanted.length === 1 ? "this" : "these"}</a></p>{/if}
      {:else}
        <p class="quiet pt-6.5">The roles that hold all of it are listed here, those that give least besides first.</p>
      {/if}
      {#if problem && problem.field !== "permissions"}<ProblemNote {problem} />{/if}
    </div>
  </form>
</section>
