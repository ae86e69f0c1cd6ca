<!-- The service accounts that live at a scope, and go with it. -->
<script lang="ts">
  import { push } from "svelte-spa-router";
  import { api, ask, asProblem, type Problem, type Schemas, type Scope } from "../lib/api";
  import { serviceAccounts } from "../lib/directory";
  import { href } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import Field from "./Field.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import StateMark from "./StateMark.svelte";
  import TextInput from "./TextInput.svelte";
  import Who from "./Who.svelte";

  let { scope }: { scope: Scope } = $props();

  let accounts = $state.raw<Schemas["Account"][]>([]);
  let problem = $state.raw<Problem | null>(null);
  let creating = $state(false);
  let name = $state("");
  let title = $state("");

  const path = $derived({ scope: scope.id });
  const here = $derived(accounts.filter((a) => a.address === `${scope.address}/${a.name}`));

  async function load() {
    try {
      accounts = await serviceAccounts(scope.id);
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    load();
  });

  async function make() {
    const made = await ask(api.POST("/scopes/{scope}/service-accounts", { params: { path }, body: { name: name.trim(), title: title || undefined } }));
    if ("account" in made) push(href.account(made.account.address).slice(1));
  }
</script>

{#if here.length > 0 || scope.may.includes("create service-account")}
  <section aria-labelledby="accounts-heading" class="mb-7">
    <div class="mb-2 flex items-baseline gap-4">
      <h2 id="accounts-heading" class="text-lg font-semibold">Service accounts</h2>
      {#if scope.may.includes("create service-account")}<button type="button" class="link text-sm" onclick={() => ((name = title = ""), (creating = true))}>Create one here</button>{/if}
    </div>
    {#if problem}<ProblemNote {problem} />{/if}
    {#if here.length === 0}
      <p class="quiet">None lives here. A program that works in this {scope.type ?? scope.kind} acts best as an account of its own.</p>
    {:else}
      <ul class="card" data-test="accounts">
        {#each here as account (account.id)}
          <li class="flex items-center gap-3 border-b border-gray-100 px-4 py-2.5 last:border-0 dark:border-gray-800">
            <a href={href.account(account.address)} class="hover:underline"><Who who={{ kind: "service", name: account.name }} /></a>
            <span class="quiet">{account.title}</span>
            <span class="ml-auto"><StateMark state={account.state} /></span>
          </li>
        {/each}
      </ul>
    {/if}
  </section>
  <ChangeDialog bind:open={creating} title="Create a service account" action="Create" ready={name.trim() !== ""} {make}>
    {#snippet children(problem)}
      <p class="quiet">It lives at <span class="address text-gray-900 dark:text-gray-100">{scope.address}</span>, and goes with it. It has no password; it signs in by API keys, and holds nothing until it is granted something.</p>
      <Field label="Name" name="name" {problem}>
        {#snippet children(id)}<TextInput {id} name="account-name" bind:value={name} placeholder="label-indexer" autocomplete="off" required />{/snippet}
      </Field>
      <Field label="Title (optional)" name="title" {problem}>
        {#snippet children(id)}<TextInput {id} name="account-title" bind:value={title} autocomplete="off" />{/snippet}
      </Field>
    {/snippet}
  </ChangeDialog>
{/if}
