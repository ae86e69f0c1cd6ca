<script lang="ts">
  import { Button, Checkbox, Modal } from "flowbite-svelte";
  import { PlusOutline } from "flowbite-svelte-icons";
  import { push } from "svelte-spa-router";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { focus } from "../lib/focus";
  import { Kept } from "../lib/kept.svelte";
  import { authority } from "../lib/authority.svelte";
  import { states, type Column, type Filter, type Question } from "../lib/lists";
  import { session } from "../lib/session.svelte";
  import { href, moment } from "../lib/words";
  import ActOnMany from "../parts/ActOnMany.svelte";
  import Field from "../parts/Field.svelte";
  import KeptNotice from "../parts/KeptNotice.svelte";
  import List from "../parts/List.svelte";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import StateMark from "../parts/StateMark.svelte";
  import Term from "../parts/Term.svelte";
  import TextInput from "../parts/TextInput.svelte";
  import Who from "../parts/Who.svelte";
  import QuietButton from "../parts/QuietButton.svelte";

  type Group = Schemas["Group"];
  const columns: Column<Group>[] = [
    { key: "name", word: "Name", value: (g) => g.name, sorts: true },
    { key: "title", word: "Title", value: (g) => g.title, sorts: true },
    { key: "members", word: "Direct members", value: (g) => String(g.members), sorts: true, number: true },
    { key: "gathers", word: "Gathers", value: (g) => g.gathers ?? "" },
    { key: "state", word: "State", value: (g) => g.state, sorts: true, spare: true },
    { key: "about", word: "About", value: (g) => g.description, spare: true },
    { key: "created", word: "Created", value: (g) => g.createdAt, sorts: true },
  ];
  const filters: Filter[] = [
    { key: "state", label: "State", options: states.filter((state) => state.value === "active" || state.value === "retired") },
    { key: "gathers", label: "Members", options: [{ value: "true", word: "gathered by tags" }] },
    { key: "tag", label: "Tag", placeholder: "Tag=value" },
  ];

  async function read(query: Question) {
    const { groups, ...rest } = await ask(api.GET("/organisations/{organisation}/groups", { params: { path: { organisation: session.organisation }, query: query as object } }));
    return { items: groups, ...rest };
  }

  let creating = $state(false);
  let name = $state("");
  let title = $state("");
  let gathering = $state(false);
  let gathers = $state("");
  let createProblem = $state.raw<Problem | null>(null);

  $effect(() => void authority.load());

  const kept = new Kept(
    () => ({ name, title, gathering, gathers }),
    (written) => ({ name, title, gathering, gathers } = written),
  );

  function cancel() {
    kept.drop();
    creating = false;
  }

  function begin() {
    name = title = gathers = "";
    gathering = false;
    createProblem = null;
    kept.begin("group");
    creating = true;
  }

  async function create(event: Event) {
    event.preventDefault();
    createProblem = null;
    try {
      await ask(api.POST("/organisations/{organisation}/groups", { params: { path: { organisation: session.organisation } }, body: { name, title: title || undefined, gathers: gathering ? gathers.trim() : undefined } }));
      kept.drop();
      creating = false;
      push(href.group(name).slice(1));
    } catch (caught) {
      createProblem = asProblem(caught);
    }
  }
</script>

<Page wide title="Groups" lead="What a group holds counts for everybody in it, at any depth.">
  {#snippet actions()}{#if authority.may("create group")}<Button size="sm" onclick={begin}><PlusOutline class="me-2 h-4 w-4" />Create a group</Button>{/if}{/snippet}
  <List name="groups" one="group" {columns} {filters} find="Find by name or title" {read} id={(g: Group) => g.id} label={(g: Group) => g.name}
    shows={() => ({ kinds: ["group"] })} empty="There are no groups yet. A group outlives the people in it: make one for each lasting job.">
    {#snippet acts(chosen: Group[], clear: () => void)}
      <ActOnMany chosen={chosen.map((g) => ({ kind: "group", name: g.name, state: g.state }))} one="group" type="group" ondone={clear} />
    {/snippet}
    {#snippet cell(group: Group, column: string)}
      {#if column === "name"}<Who who={{ kind: "group", name: group.name }} />{#if group.state === "retired"}<span class="ml-2"><StateMark state={group.state} /></span>{/if}
      {:else if column === "title"}{group.title}
      {:else if column === "members"}<span class={group.members === 0 ? "quiet" : ""}>{group.members === 0 ? "none" : group.members}</span>
      {:else if column === "gathers"}{#if group.gathers}<code class="statement">{group.gathers}</code>{/if}
      {:else if column === "state"}<StateMark state={group.state} />
      {:else if column === "about"}<span class="quiet">{group.description}</span>
      {:else}<span class="quiet text-sm whitespace-nowrap">{moment(group.createdAt)}</span>{/if}
    {/snippet}
  </List>
</Page>

<Modal bind:open={creating} size="sm" title="Create a group" outsideclose>
  <form onsubmit={create} class="space-y-5">
    <KeptNotice {kept} />
    <Field label="Name" name="name" problem={createProblem} hint="Lower-case letters, digits and hyphens.">
      {#snippet children(id)}<TextInput {id} name="group-name" {@attach focus} bind:value={name} required />{/snippet}
    </Field>
    <Field label="Title (optional)" name="title" problem={createProblem}>
      {#snippet children(id)}<TextInput {id} name="group-title" bind:value={title} />{/snippet}
    </Field>
    <Checkbox name="group-gathering" bind:checked={gathering}>Its members are those who have certain tags</Checkbox>
    <p class="quiet text-sm">Such a group is called a <Term word="gathering group" />.</p>
    {#if gathering}
      <Field label="Gathers people with" name="gathers" problem={createProblem} hint={'Such as: tag team is "seeds" and kind is "user"'}>
        {#snippet children(id)}<TextInput {id} name="group-gathers" bind:value={gathers} placeholder={'tag team is "seeds"'} class="font-mono" required />{/snippet}
      </Field>
    {/if}
    {#if createProblem && !createProblem.field}<ProblemNote problem={createProblem} />{/if}
    <div class="flex justify-end gap-2">
      <QuietButton type="button" onclick={cancel}>Cancel</QuietButton>
      <Button type="submit" disabled={!name || (gathering && !gathers.trim())} data-test="confirm-group">Create</Button>
    </div>
  </form>
</Modal>
