<!-- An identity provider: who comes by it, and what rules give all of them. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { PlusOutline } from "flowbite-svelte-icons";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { authority } from "../lib/authority.svelte";
  import { whenChanged } from "../lib/live.svelte";
  import { session } from "../lib/session.svelte";
  import { href, moment } from "../lib/words";
  import Arrivals from "../parts/Arrivals.svelte";
  import Directory from "../parts/Directory.svelte";
  import EditDialog from "../parts/EditDialog.svelte";
  import GrantDialog from "../parts/GrantDialog.svelte";
  import Holdings from "../parts/Holdings.svelte";
  import OutsideDialog from "../parts/OutsideDialog.svelte";
  import Page from "../parts/Page.svelte";
  import PageProblem from "../parts/PageProblem.svelte";
  import ProvisioningTokens from "../parts/ProvisioningTokens.svelte";
  import ProviderSteps from "../parts/ProviderSteps.svelte";
  import QuietButton from "../parts/QuietButton.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import StateDialog from "../parts/StateDialog.svelte";
  import StateMark from "../parts/StateMark.svelte";

  let { params }: { params?: { name: string } } = $props();

  let provider = $state.raw<Schemas["PrincipalDetails"] | null>(null);
  let entry = $state.raw<Schemas["Entry"] | null>(null);
  let arrivals = $state.raw<Schemas["Arrival"][]>([]);
  let problem = $state.raw<Problem | null>(null);
  let granting = $state(false);
  let creating = $state(false);
  let fresh = $state(""); // the id of a grant just made
  let editing = $state(false);
  let directory = $state(false); // one is read, so no system tells of its people
  let changing = $state(false);
  let to = $state<Schemas["State"]>("suspended");

  const path = $derived({ organisation: session.organisation, provider: params?.name ?? "" });

  async function load() {
    try {
      provider = await ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}", { params: { path: { organisation: session.organisation, kind: "provider", principal: params?.name ?? "" } } }));
      entry = await ask(api.GET("/organisations/{organisation}/providers/{provider}/entry", { params: { path } }));
      if (may("edit")) arrivals = (await ask(api.GET("/organisations/{organisation}/providers/{provider}/arrivals", { params: { path } }))).arrivals;
      problem = null;
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  whenChanged(load);
  $effect(() => {
    authority.load();
    load();
  });

  const may = (operation: string) => provider?.may.includes(`${operation} provider`) ?? false;

  function change(state: Schemas["State"]) {
    to = state;
    changing = true;
  }
</script>

<!-- A trial goes on in another window. -->
<svelte:window onfocus={load} />

<Page title={provider?.title || params?.name || ""} lead={provider ? [`identity provider ${provider.name}`, provider.description].filter(Boolean).join(". ") : undefined}>
  {#snippet actions()}
    {#if may("edit")}<QuietButton size="sm" onclick={() => (editing = true)}>Edit</QuietButton>{/if}
    {#if provider?.state === "active" && may("suspend")}<QuietButton size="sm" onclick={() => change("suspended")}>Suspend</QuietButton>{/if}
    {#if provider && provider.state !== "retired" && may("retire")}<QuietButton size="sm" onclick={() => change("retired")}>Retire</QuietButton>{/if}
    {#if provider && provider.state !== "active" && may("restore")}<QuietButton size="sm" onclick={() => change("active")}>Restore</QuietButton>{/if}
    {#if provider && provider.state === "active" && authority.may("create user")}<QuietButton size="sm" onclick={() => (creating = true)}>Create a person</QuietButton>{/if}
    {#if provider && authority.may("create grant")}<Button size="sm" onclick={() => (granting = true)}><PlusOutline class="me-2 h-4 w-4" />Grant a role</Button>{/if}
  {/snippet}
  {#if problem}
    <PageProblem {problem} />
  {:else if !provider}
    <Skeleton rows={6} />
  {:else}
    {#if provider.state !== "active"}
      <p class="mb-5 rounded-lg border border-copper-300 bg-copper-100 px-4 py-3 font-semibold text-copper-900 dark:border-copper-700 dark:bg-copper-900/50 dark:text-copper-100">This identity provider is {provider.state}: nobody who comes by it holds anything.</p>
    {/if}
    <dl class="card mb-7 grid grid-cols-4 gap-x-6 gap-y-4 px-5 py-4 max-md:grid-cols-2" data-test="facts">
      <div><dt class="quiet text-sm">State</dt><dd class="font-semibold"><StateMark state={provider.state} /></dd></div>
      <div><dt class="quiet text-sm">People who come by it</dt><dd>{#if provider.people}<a class="link" href={"#/people?" + new URLSearchParams({ provider: provider.name }).toString()}>{provider.people}</a>{:else}none yet{/if}</dd></div>
      <div><dt class="quiet text-sm">Its people are</dt><dd>{provider.own ? "staff" : "outside people"}</dd></div>
      <div><dt class="quiet text-sm">Groups of its people</dt><dd><a class="link" href={href.outsideGroups(provider.name)}>Groups and their links</a></dd></div>
      <div><dt class="quiet text-sm">Created</dt><dd>{moment(provider.createdAt)}</dd></div>
      <div>
        <dt class="quiet text-sm">Tags</dt>
        <dd>{#each Object.entries(provider.tags) as [key, value] (key)}<span class="me-2 whitespace-nowrap"><span class="quiet">{key}</span> {value}</span>{:else}none{/each}</dd>
      </div>
    </dl>
    {#if entry}<ProviderSteps provider={provider.name} own={provider.own ?? false} {entry} {arrivals} may={may("edit")} onchange={load} />{/if}
    {#if may("edit")}<Arrivals {arrivals} /><Directory provider={provider.name} active={provider.state === "active"} bind:inUse={directory} onchange={load} />{#if !directory}<ProvisioningTokens provider={provider.name} />{/if}{/if}
    <Holdings of={provider} {fresh} onchange={load} />
    <GrantDialog bind:open={granting} prepared={{ who: { kind: "provider", name: provider.name } }} ondone={(id) => ((fresh = id), load())} />
    <OutsideDialog bind:open={creating} provider={provider.name} />
    <StateDialog bind:open={changing} of={provider} {to} ondone={load} />
    <EditDialog bind:open={editing} of={provider} ondone={load} />
  {/if}
</Page>
