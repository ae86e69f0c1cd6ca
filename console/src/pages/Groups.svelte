<script lang="ts">
  import { Button, Checkbox, Modal } from "flowbite-svelte";
  import { PlusOutline } from "flowbite-svelte-icons";
  import { push } from "svelte-spa-router";
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { QueryParam } from "../lib/queryparam.svelte";
  import { whenChanged } from "../lib/live.svelte";
  import { groups } from "../lib/directory";
  import { focus } from "../lib/focus";
  import { Kept } from "../lib/kept.svelte";
  import { authority } from "../lib/authority.svelte";
  import { labelled } from "../lib/labelled";
  import { session } from "../lib/session.svelte";
  import { href, moment, of } from "../lib/words";
  import Field from "../parts/Field.svelte";
  import KeptNotice from "../parts/KeptNotice.svelte";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import Skeleton from "../parts/Skeleton.svelte";
  import TextInput from "../parts/TextInput.svelte";
  import Who from "../parts/Who.svelte";
  import QuietButton from "../parts/QuietButton.svelte";

  let list = $state.raw<Schemas["Group"][] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  const wanted = new QueryParam("find");
  const shown = $derived(list?.filter((g) => `${g.name} ${g.title}`.toLowerCase().includes(wanted.value.toLowerCase())) ?? []);
  let creating = $state(false);
  let name = $state("");
  let title = $state("");
  let gathering = $state(false);
  let gathers = $state("");
  let createProblem = $state.raw<Problem | null>(null);

  async function load() {
    try {
      list = await groups(session.organisation);
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  whenChanged(load, () => ({ kinds: ["group"] }));
  $effect(() => {
    authority.load();
    load();
  });

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

<Page title="Groups" lead="What a group holds counts for everybody in it, at any depth.">
  {#snippet actions()}{#if authority.may("create group")}<Button size="sm" onclick={begin}><PlusOutline class="me-2 h-4 w-4" />Create a group</Button>{/if}{/snippet}
  {#if problem}
    <ProblemNote {problem} />
  {:else if !list}
    <Skeleton rows={8} />
  {:else if list.length === 0}
    <p class="card quiet px-5 py-4">There are no groups yet. A group outlives the people in it: make one for each lasting job.</p>
  {:else}
    <div class="mb-3 flex items-center gap-4">
      <div class="w-72"><TextInput type="search" bind:value={wanted.value} placeholder="Filter by name or title" aria-label="Filter by name or title" /></div>
      <span class="quiet">{of(shown.length, list.length, "group")}</span>
    </div>
    <div class="card overflow-x-auto">
      <table {@attach labelled} class="rows" data-test="groups">
        <thead><tr><th>Name</th><th>Title</th><th class="text-right!">Direct members</th><th>Created</th></tr></thead>
        <tbody>
          {#each shown as group (group.id)}
            <tr>
              <td><Who who={{ kind: "group", name: group.name }} /></td>
              <td>{group.title}</td>
              <td class="text-right tabular-nums {group.members === 0 ? 'quiet' : ''}">{group.members === 0 ? "none" : group.members}</td>
              <td class="quiet text-sm whitespace-nowrap">{moment(group.createdAt)}</td>
            </tr>
          {:else}
            <tr><td colspan="4" class="quiet">None of that name.</td></tr>
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
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
    <Checkbox name="group-gathering" bind:checked={gathering}>Gathering: its members are those who have certain tags</Checkbox>
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
