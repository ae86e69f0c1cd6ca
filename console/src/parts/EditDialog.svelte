<!-- Alters what is said of somebody or of a group; id and access stay. -->
<script lang="ts">
  import { Checkbox } from "flowbite-svelte";
  import { push } from "svelte-spa-router";
  import { api, ask, confirming, type Schemas } from "../lib/api";
  import { users } from "../lib/directory";
  import { session } from "../lib/session.svelte";
  import { href, tagsIn } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import Choice from "./Choice.svelte";
  import Field from "./Field.svelte";
  import TextInput from "./TextInput.svelte";

  type Impact = Schemas["Impact"] | null;
  let { open = $bindable(false), of, ondone }: { open?: boolean; of: Schemas["PrincipalDetails"]; ondone: () => void } = $props();

  let name = $state("");
  let title = $state("");
  let description = $state("");
  let email = $state("");
  let tags = $state("");
  let owner = $state("");
  let gathering = $state(false);
  let gathers = $state("");
  let known = $state.raw<{ value: string; hint?: string }[]>([]);

  const group = $derived(of.kind === "group");
  const last = $derived(of.name.slice(of.name.lastIndexOf("/") + 1)); // a service account is called by its address

  $effect(() => {
    if (!open) return;
    name = last;
    ({ title, description, email } = of);
    tags = Object.entries(of.tags).map(([key, value]) => `${key}=${value}`).join(", ");
    owner = of.owner?.name ?? "";
    gathers = of.gathers ?? "";
    gathering = Boolean(of.gathers); // not of gathers: what is typed would be put back at once
    if (group) users(session.organisation).then((list) => (known = list.map((u) => ({ value: u.name, hint: u.title }))));
  });

  const tagsNow = $derived(tagsIn(tags));
  const path = $derived({ organisation: session.organisation, kind: of.kind, principal: of.name });

  // Only what was altered is asked for: each takes a permission of its own.
  const body = $derived.by(() => {
    const edit: Schemas["PrincipalEdit"] = {};
    if (name.trim() !== last && of.kind !== "guest") edit.name = name.trim();
    if (title !== of.title) edit.title = title;
    if (description !== of.description) edit.description = description;
    if (of.kind === "user" && email !== of.email) edit.email = email;
    if (JSON.stringify(tagsNow) !== JSON.stringify(of.tags)) edit.tags = tagsNow;
    if (group && owner.trim() !== (of.owner?.name ?? "")) {
      if (owner.trim()) edit.owner = { kind: "user", name: owner.trim() };
      else edit.noOwner = true;
    }
    if (group && (gathering ? gathers.trim() : "") !== (of.gathers ?? "")) edit.gathers = gathering ? gathers.trim() : "";
    return edit;
  });
  const ready = $derived(Object.keys(body).length > 0);

  async function preview(): Promise<Impact> {
    return (await ask(api.PATCH("/organisations/{organisation}/principals/{kind}/{principal}", { params: { path, query: { preview: true } }, body }))).impact ?? null;
  }

  async function make(impact: Impact) {
    await ask(api.PATCH("/organisations/{organisation}/principals/{kind}/{principal}", { params: { path, header: confirming(impact) }, body }));
    if (body.name) push(href.principal({ kind: of.kind, name: of.name.slice(0, of.name.length - last.length) + body.name }).slice(1));
    else ondone();
  }
</script>

<ChangeDialog bind:open title="Edit {of.name}" action="Save" size="md" {ready} {preview} {make}>
  {#snippet children(problem)}
    <div class="grid grid-cols-2 gap-4 max-sm:grid-cols-1">
    {#if of.kind !== "guest"}
      <Field label="Name" name="name" {problem} hint={of.kind === "user" ? `Signs in as ${name}@${session.organisation}; id and access stay` : "Id and access stay."}>
        {#snippet children(id)}<TextInput {id} name="edit-name" bind:value={name} required />{/snippet}
      </Field>
    {/if}
    <Field label={group ? "Title" : "Display name"} name="title" {problem}>
      {#snippet children(id)}<TextInput {id} name="edit-title" bind:value={title} />{/snippet}
    </Field>
    <Field label="About" name="description" {problem}>
      {#snippet children(id)}<TextInput {id} name="edit-about" bind:value={description} />{/snippet}
    </Field>
    {#if of.kind === "user"}
      <Field label="Email" name="email" {problem}>
        {#snippet children(id)}<TextInput {id} name="edit-email" bind:value={email} />{/snippet}
      </Field>
    {/if}
    <Field label="Tags" name="tags" {problem} hint="KEY=VALUE, several apart by commas; gathering groups gather by them.">
      {#snippet children(id)}<TextInput {id} name="edit-tags" bind:value={tags} placeholder="team=seeds" />{/snippet}
    </Field>
    </div>
    {#if group}
      <Field label="Owner (optional)" name="owner" {problem} hint="May change the members without being an administrator.">
        {#snippet children(id)}<Choice {id} name="edit-owner" bind:value={owner} options={known} />{/snippet}
      </Field>
      <Checkbox bind:checked={gathering}>Gathering: its members are those who have certain tags</Checkbox>
      {#if gathering}
        <Field label="Gathers whoever has" name="gathers" {problem} hint={'Such as: tag team is "seeds" and kind is "user"'}>
          {#snippet children(id)}<TextInput {id} name="edit-gathers" bind:value={gathers} placeholder={'tag team is "seeds"'} class="font-mono" />{/snippet}
        </Field>
      {/if}
    {/if}
  {/snippet}
</ChangeDialog>
