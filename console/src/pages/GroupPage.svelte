<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { PlusOutline } from "flowbite-svelte-icons";
  import { api, ask, asProblem, type PrincipalRef, type Problem, type Schemas } from "../lib/api";
  import { session } from "../lib/session.svelte";
  import Holdings from "../parts/Holdings.svelte";
  import MembershipDialog from "../parts/MembershipDialog.svelte";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import Who from "../parts/Who.svelte";

  let { params }: { params?: { name: string } } = $props();

  let group = $state.raw<Schemas["PrincipalDetails"] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let removeProblem = $state.raw<Problem | null>(null);
  let adding = $state(false);

  async function load() {
    removeProblem = null;
    try {
      group = await ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}", { params: { path: { organisation: session.organisation, kind: "group", principal: params?.name ?? "" } } }));
      problem = null;
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    load();
  });

  const mayEnrol = $derived(group?.may.includes("enrol group") ?? false);

  async function remove(member: PrincipalRef) {
    if (!group) return;
    try {
      await ask(
        api.DELETE("/organisations/{organisation}/groups/{group}/members/{kind}/{member}", {
          params: { path: { organisation: session.organisation, group: group.name, kind: member.kind, member: member.name } },
        }),
      );
      await load();
    } catch (caught) {
      removeProblem = asProblem(caught);
    }
  }
</script>

<Page title={group?.title || params?.name || ""} lead={group ? `group ${group.name}${group.within.length ? ", itself in " + group.within.join(", ") : ""}` : undefined}>
  {#snippet actions()}
    {#if mayEnrol}<Button size="sm" onclick={() => (adding = true)}><PlusOutline class="me-2 h-4 w-4" />Put somebody in</Button>{/if}
  {/snippet}
  {#if problem}
    <ProblemNote {problem} />
  {:else if !group}
    <Skeleton rows={6} />
  {:else}
    <section class="mb-7" aria-labelledby="members-heading">
      <h2 id="members-heading" class="mb-2 text-lg font-semibold">Direct members</h2>
      {#if removeProblem}<div class="mb-3"><ProblemNote problem={removeProblem} /></div>{/if}
      {#if group.members.length === 0}
        <p class="card quiet px-5 py-4">Nobody is in it yet.</p>
      {:else}
        <ul class="card" data-test="members">
          {#each group.members as member (member.kind + "/" + member.name)}
            <li class="flex items-center border-b border-gray-100 px-4 py-2.5 last:border-0 dark:border-gray-800">
              <Who who={member} />
              {#if member.kind === "group"}<span class="quiet ml-3 text-sm">and everybody in it</span>{/if}
              {#if mayEnrol}<button type="button" class="link ml-auto text-sm" onclick={() => remove(member)} aria-label="Take out {member.name}">Take out</button>{/if}
            </li>
          {/each}
        </ul>
      {/if}
    </section>
    <Holdings of={group} />
    <MembershipDialog bind:open={adding} group={group.name} ondone={load} />
  {/if}
</Page>
