<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { SearchOutline } from "flowbite-svelte-icons";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { authority } from "../lib/authority.svelte";
  import { session } from "../lib/session.svelte";
  import { href, moment } from "../lib/words";
  import Holdings from "../parts/Holdings.svelte";
  import MembershipDialog from "../parts/MembershipDialog.svelte";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import Who from "../parts/Who.svelte";
  import QuietButton from "../parts/QuietButton.svelte";

  let { params }: { params?: { name: string } } = $props();

  let person = $state.raw<Schemas["PrincipalDetails"] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let adding = $state(false);

  async function load() {
    try {
      person = await ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}", { params: { path: { organisation: session.organisation, kind: "user", principal: params?.name ?? "" } } }));
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    authority.load();
    load();
  });

  const further = $derived(person ? person.within.filter((g) => !person?.groups.includes(g)) : []);
</script>

<Page title={person?.title ?? params?.name ?? ""} lead={person ? `${person.name}@${session.organisation}${person.description ? ", " + person.description.toLowerCase() : ""}` : undefined}>
  {#snippet actions()}
    {#if person}
      <QuietButton size="sm" href={href.check({ user: person.name })}><SearchOutline class="me-2 h-4 w-4" />Check</QuietButton>
      {#if authority.may("enrol group")}<Button size="sm" onclick={() => (adding = true)}>Put into a group</Button>{/if}
    {/if}
  {/snippet}
  {#if problem}
    <ProblemNote {problem} />
  {:else if !person}
    <Skeleton rows={6} />
  {:else}
    <dl class="card mb-6 grid grid-cols-4 gap-6 px-5 py-4 max-md:grid-cols-2">
      <div><dt class="quiet text-sm">State</dt><dd class="font-semibold">{person.state}</dd></div>
      <div><dt class="quiet text-sm">Email</dt><dd>{person.email || "none"}</dd></div>
      <div><dt class="quiet text-sm">Created</dt><dd>{moment(person.createdAt)}</dd></div>
      <div>
        <dt class="quiet text-sm">In groups</dt>
        <dd class="flex flex-wrap gap-x-4">
          {#each person.groups as name (name)}<Who who={{ kind: "group", name }} />{:else}none{/each}
          {#if further.length > 0}<span class="quiet">and through them {further.join(", ")}</span>{/if}
        </dd>
      </div>
    </dl>
    <Holdings of={person} />
    <MembershipDialog bind:open={adding} member={{ kind: "user", name: person.name }} ondone={load} />
  {/if}
</Page>
