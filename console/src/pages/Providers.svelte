<!-- The identity providers by which people from outside come. -->
<script lang="ts">
  import { Button, Checkbox, Modal } from "flowbite-svelte";
  import { PlusOutline } from "flowbite-svelte-icons";
  import { push } from "svelte-spa-router";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { authority } from "../lib/authority.svelte";
  import { focus } from "../lib/focus";
  import { Kept } from "../lib/kept.svelte";
  import { states, type Column, type Filter, type Question } from "../lib/lists";
  import { session } from "../lib/session.svelte";
  import { href, moment } from "../lib/words";
  import Field from "../parts/Field.svelte";
  import KeptNotice from "../parts/KeptNotice.svelte";
  import List from "../parts/List.svelte";
  import Page from "../parts/Page.svelte";
  import PeopleTabs from "../parts/PeopleTabs.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import QuietButton from "../parts/QuietButton.svelte";
  import StateMark from "../parts/StateMark.svelte";
  import TextInput from "../parts/TextInput.svelte";
  import Who from "../parts/Who.svelte";

  type Provider = Schemas["Provider"];
  const columns: Column<Provider>[] = [
    { key: "name", word: "Name", value: (p) => p.name, sorts: true },
    { key: "title", word: "Title", value: (p) => p.title, sorts: true },
    { key: "own", word: "Its people are", value: (p) => (p.own ? "staff" : "outside people") },
    { key: "people", word: "People", value: (p) => String(p.people), sorts: true, number: true },
    { key: "state", word: "State", value: (p) => p.state, sorts: true },
    { key: "about", word: "About", value: (p) => p.description, spare: true },
    { key: "created", word: "Created", value: (p) => p.createdAt, sorts: true },
  ];
  const filters: Filter[] = [{ key: "state", label: "State", options: states.filter((state) => state.value !== "pending") }];

  async function read(query: Question) {
    const { providers, ...rest } = await ask(api.GET("/organisations/{organisation}/providers", { params: { path: { organisation: session.organisation }, query: query as object } }));
    return { items: providers, ...rest };
  }

  let creating = $state(false);
  let name = $state("");
  let title = $state("");
  let own = $state(false);
  let problem = $state.raw<Problem | null>(null);

  $effect(() => void authority.load());

  const kept = new Kept(() => ({ name, title, own }), (written) => ({ name, title, own } = written));

  function begin() {
    name = title = "";
    own = false;
    problem = null;
    kept.begin("provider");
    creating = true;
  }

  function cancel() {
    kept.drop();
    creating = false;
  }

  async function create(event: Event) {
    event.preventDefault();
    problem = null;
    try {
      await ask(api.POST("/organisations/{organisation}/providers", { params: { path: { organisation: session.organisation } }, body: { name, title: title || undefined, own: own || undefined } }));
      kept.drop();
      creating = false;
      push(href.provider(name).slice(1));
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
</script>

<Page wide title="Identity providers" lead="Each stands for the people of another organisation, or for the organisation's own people in a directory.">
  {#snippet actions()}{#if authority.may("create provider")}<Button size="sm" onclick={begin}><PlusOutline class="me-2 h-4 w-4" />Create an identity provider</Button>{/if}{/snippet}
  <PeopleTabs />
  <List name="providers" one="identity provider" {columns} {filters} find="Find by name or title" {read} id={(p: Provider) => p.id} label={(p: Provider) => p.name}
    shows={() => ({ kinds: ["provider", "outside-person"] })} empty="There are none yet.">
    {#snippet cell(provider: Provider, column: string)}
      {#if column === "name"}<Who who={{ kind: "provider", name: provider.name }} />
      {:else if column === "title"}{provider.title}
      {:else if column === "own"}{provider.own ? "staff" : "outside people"}
      {:else if column === "people"}<span class={provider.people === 0 ? "quiet" : ""}>{provider.people === 0 ? "none" : provider.people}</span>
      {:else if column === "state"}<StateMark state={provider.state} />
      {:else if column === "about"}<span class="quiet">{provider.description}</span>
      {:else}<span class="quiet text-sm whitespace-nowrap">{moment(provider.createdAt)}</span>{/if}
    {/snippet}
  </List>
</Page>

<Modal bind:open={creating} size="sm" title="Create an identity provider" outsideclose>
  <form onsubmit={create} class="space-y-5">
    <KeptNotice {kept} />
    <Field label="Name" name="name" {problem} hint="Lower-case letters, digits and hyphens. Its people are called NAME@{name || "PROVIDER"}, so it stays.">
      {#snippet children(id)}<TextInput {id} name="provider-name" {@attach focus} bind:value={name} required />{/snippet}
    </Field>
    <Field label="Title (optional)" name="title" {problem}>
      {#snippet children(id)}<TextInput {id} name="provider-title" bind:value={title} />{/snippet}
    </Field>
    <div>
      <Checkbox bind:checked={own} name="provider-own">Its people are the organisation's own</Checkbox>
      <p class="quiet mt-1 text-sm">They are staff then, such as the people of your own directory. It stays so.</p>
    </div>
    {#if problem && !problem.field}<ProblemNote {problem} />{/if}
    <div class="flex justify-end gap-2">
      <QuietButton type="button" onclick={cancel}>Cancel</QuietButton>
      <Button type="submit" disabled={!name} data-test="confirm-provider">Create</Button>
    </div>
  </form>
</Modal>
