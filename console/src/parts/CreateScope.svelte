<script lang="ts">
  import { Button, Modal } from "flowbite-svelte";
  import { untrack } from "svelte";
  import { push } from "svelte-spa-router";
  import { api, ask, asProblem, type Problem, type Scope, type Schemas } from "../lib/api";
  import { focus } from "../lib/focus";
  import { Kept } from "../lib/kept.svelte";
  import { tagsFault, tagsIn } from "../lib/tags";
  import { tree } from "../lib/tree.svelte";
  import { capital, href, nameFrom } from "../lib/words";
  import Field from "./Field.svelte";
  import KeptNotice from "./KeptNotice.svelte";
  import KindIcon from "./KindIcon.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import TextInput from "./TextInput.svelte";
  import QuietButton from "./QuietButton.svelte";

  let { open = $bindable(false), parent }: { open?: boolean; parent: Scope } = $props();

  const containers = ["folder", "project", "compartment"];
  let what = $state("");
  let name = $state("");
  let title = $state("");
  let description = $state("");
  let tags = $state("");
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);

  const kept = new Kept(
    () => ({ what, name, title, description, tags }),
    (written) => ({ what, name, title, description, tags } = written),
  );

  function cancel() {
    kept.drop();
    open = false;
  }

  function begin() {
    what = parent.creatable[0] ?? "";
    name = title = description = tags = "";
    problem = null;
    kept.begin("create in " + parent.address);
  }

  // Begun when it opens, and by nothing that is read anew while somebody writes in it.
  $effect(() => {
    if (open) untrack(begin);
  });

  const resource = $derived(!containers.includes(what));
  const fit = $derived(nameFrom(name));
  const misnamed = $derived(/[^a-z0-9-]/.test(name));
  const full = $derived(name ? parent.address + "/" + name + (resource ? "." + what : "") : "");

  async function create(event: Event) {
    event.preventDefault();
    busy = true;
    problem = null;
    try {
      const body: Schemas["ScopeNew"] = {
        kind: (resource ? "resource" : what) as Schemas["ScopeNew"]["kind"],
        name,
        type: resource ? what : undefined,
        title: title || undefined,
        description: description || undefined,
        tags: tags.trim() ? tagsIn(tags) : undefined,
      };
      const made = await ask(api.POST("/scopes/{scope}/children", { params: { path: { scope: parent.id } }, body }));
      kept.drop();
      open = false;
      await tree.load();
      if ("scope" in made) push(href.scope(made.scope.address).slice(1));
    } catch (caught) {
      problem = asProblem(caught);
    } finally {
      busy = false;
    }
  }
</script>

<Modal bind:open size="md" title="Create in {parent.name}" outsideclose>
  <form onsubmit={create} class="space-y-5">
    <KeptNotice {kept} />
    <fieldset>
      <legend class="label">What</legend>
      <div class="flex flex-wrap gap-2">
        {#each parent.creatable as choice (choice)}
          <label class="flex cursor-pointer items-center gap-2 rounded-lg border border-gray-300 px-3 py-1.5 has-checked:border-primary-600 has-checked:bg-primary-50 has-focus-visible:outline-2 has-focus-visible:outline-primary-500 dark:border-gray-600 dark:has-checked:border-primary-400 dark:has-checked:bg-primary-950">
            <input type="radio" name="what" value={choice} bind:group={what} class="sr-only" />
            <KindIcon kind={choice} type={containers.includes(choice) ? undefined : choice} />
            {capital(choice)}
          </label>
        {/each}
      </div>
    </fieldset>
    <Field label="Name" name="name" {problem} hint={full ? (misnamed ? "" : "Its address will be " + full) : "Lower-case letters, digits and hyphens."}>
      {#snippet children(id)}<TextInput {id} name="name" {@attach focus} bind:value={name} required />{/snippet}
    </Field>
    {#if misnamed}
      <p class="-mt-3 text-sm" role="alert" data-test="fit">A name has lower-case letters, digits and hyphens. {#if fit}<button type="button" class="link" onclick={() => ([title, name] = [title || name, fit])}>Use “{fit}”{title ? "" : `, titled “${name}”`}</button>{/if}</p>
    {/if}
    <Field label="Title (optional)" name="title" {problem}>
      {#snippet children(id)}<TextInput {id} name="title" bind:value={title} />{/snippet}
    </Field>
    <Field label="Description (optional)" name="description" {problem}>
      {#snippet children(id)}<TextInput {id} name="description" bind:value={description} />{/snippet}
    </Field>
    <Field label="Tags (optional)" name="tags" problem={tagsFault(tags) ?? problem} hint="KEY=VALUE, separated by commas">
      {#snippet children(id)}<TextInput {id} name="tags" bind:value={tags} placeholder="care=high" />{/snippet}
    </Field>
    <p class="quiet">It inherits all access to {parent.name} with nothing more to do.</p>
    {#if problem && !problem.field}<ProblemNote {problem} />{/if}
    <div class="flex justify-end gap-2">
      <QuietButton type="button" onclick={cancel}>Cancel</QuietButton>
      <Button type="submit" disabled={busy || !name || misnamed || tagsFault(tags) !== null} data-test="confirm-create">Create</Button>
    </div>
  </form>
</Modal>
