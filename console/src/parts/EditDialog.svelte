<!-- Alters what is said of somebody or of a group; id and access stay. -->
<script lang="ts">
  import { Checkbox } from "flowbite-svelte";
  import { untrack } from "svelte";
  import { push } from "svelte-spa-router";
  import { api, ask, confirming, heeding, type Schemas } from "../lib/api";
  import { users } from "../lib/directory";
  import { Draft } from "../lib/draft.svelte";
  import { Kept } from "../lib/kept.svelte";
  import { session } from "../lib/session.svelte";
  import { undo } from "../lib/undo.svelte";
  import { tagsFault, tagsIn, tagsOut } from "../lib/tags";
  import { href, signInWays } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import Choice from "./Choice.svelte";
  import Field from "./Field.svelte";
  import TextInput from "./TextInput.svelte";
  import ConflictNotice from "./ConflictNotice.svelte";

  type Impact = Schemas["Impact"] | null;
  let { open = $bindable(false), of, ondone }: { open?: boolean; of: Schemas["PrincipalDetails"]; ondone: () => void } = $props();

  type Details = Schemas["PrincipalDetails"];
  const lastOf = (name: string) => name.slice(name.lastIndexOf("/") + 1); // a service account is called by its address
  const textsOf = (now: Details) => ({
    name: lastOf(now.name), title: now.title, description: now.description, email: now.email, tags: tagsOut(now.tags), owner: now.owner?.name ?? "", gathers: now.gathers ?? "", signInBy: now.signInBy ?? "",
  });
  const draft = new Draft(untrack(() => textsOf(of)));
  const words = { name: "the name", title: "the title", description: "the description", email: "the email", tags: "the tags", owner: "the owner", gathers: "the condition", signInBy: "how they sign in" };
  const kept = new Kept(() => draft.kept, (written) => draft.resume(written));
  let gathering = $state(false);
  let known = $state.raw<{ value: string; hint?: string }[]>([]);

  const group = $derived(of.kind === "group");
  const last = $derived(lastOf(of.name));

  $effect(() => {
    if (!open) return;
    const now = untrack(() => of);
    untrack(() => {
      draft.begin(textsOf(now));
      kept.begin(`edit ${now.kind} ${now.name}`);
      gathering = Boolean(draft.mine.gathers);
    });
    if (now.kind === "group") users(session.organisation).then((list) => (known = list.map((u) => ({ value: u.name, hint: u.title }))));
  });

  const path = $derived({ organisation: session.organisation, kind: of.kind, principal: of.name });

  // Only what was altered is asked for: each takes a permission of its own. It is to be still as it was read.
  const body = $derived.by((): Schemas["PrincipalEdit"] => {
    const edit: Schemas["PrincipalEdit"] = {};
    const was: Schemas["AsRead"] = {};
    const { read } = draft;
    const mine = { ...draft.mine, name: draft.mine.name.trim(), owner: draft.mine.owner.trim(), gathers: gathering ? draft.mine.gathers.trim() : "" };
    for (const key of ["name", "title", "description", "email"] as const) {
      if (mine[key] !== read[key]) [edit[key], was[key]] = [mine[key], read[key]];
    }
    if (mine.tags !== read.tags) [edit.tags, was.tags] = [tagsIn(mine.tags), tagsIn(read.tags)];
    if (group && mine.owner !== read.owner) {
      if (mine.owner) edit.owner = { kind: "user", name: mine.owner };
      else edit.noOwner = true;
      was.owner = read.owner;
    }
    if (group && mine.gathers !== read.gathers) [edit.gathers, was.gathers] = [mine.gathers, read.gathers];
    if (mine.signInBy !== read.signInBy) edit.signInBy = mine.signInBy as Schemas["SignInBy"];
    return Object.keys(edit).length > 0 ? { ...edit, was } : {};
  });
  const ready = $derived(Object.keys(body).length > 0 && draft.disputed.length === 0 && !tagsFault(draft.mine.tags));

  // What somebody else has changed meanwhile is shown beside.
  const meet = async () => draft.meet(textsOf(await ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}", { params: { path } }))));

  async function preview(): Promise<Impact> {
    return (await heeding(ask(api.PATCH("/organisations/{organisation}/principals/{kind}/{principal}", { params: { path, query: { preview: true } }, body })), meet)).impact ?? null;
  }

  async function make(impact: Impact) {
    const [before, renamed] = [{ kind: of.kind, name: of.name }, body.name];
    const { revision } = await heeding(ask(api.PATCH("/organisations/{organisation}/principals/{kind}/{principal}", { params: { path, header: confirming(impact) }, body })), meet);
    if (!body.signInBy) undo.offer(`${before.name} edited.`, revision, () => (renamed ? push(href.principal(before).slice(1)) : undefined));
    if (body.name) push(href.principal({ kind: of.kind, name: of.name.slice(0, of.name.length - last.length) + body.name }).slice(1));
    else ondone();
  }
</script>

<ChangeDialog bind:open title="Edit {of.name}" action="Save" size="md" {ready} {preview} asks={() => body} {kept} {make}>
  {#snippet children(told)}
    {@const problem = draft.disputed.length > 0 ? null : told}
    <ConflictNotice {draft} {words} />
    <div class="grid grid-cols-2 gap-4 max-sm:grid-cols-1">
    {#if of.kind !== "guest"}
      <Field label="Name" name="name" {problem} hint={of.kind === "user" ? `Signs in as ${draft.mine.name}@${session.organisation}; id and access stay` : "Id and access stay."}>
        {#snippet children(id)}<TextInput {id} name="edit-name" bind:value={draft.mine.name} required />{/snippet}
      </Field>
    {/if}
    <Field label={group ? "Title" : "Display name"} name="title" {problem}>
      {#snippet children(id)}<TextInput {id} name="edit-title" bind:value={draft.mine.title} />{/snippet}
    </Field>
    <Field label="About" name="description" {problem}>
      {#snippet children(id)}<TextInput {id} name="edit-about" bind:value={draft.mine.description} />{/snippet}
    </Field>
    {#if of.kind === "user"}
      <Field label="Email" name="email" {problem}>
        {#snippet children(id)}<TextInput {id} name="edit-email" bind:value={draft.mine.email} />{/snippet}
      </Field>
    {/if}
    {#if of.signInBy && of.may.includes("reset user")}
      <Field label="Signs in by" name="signInBy" {problem} hint="What no longer fits stops working at once.">
        {#snippet children(id)}
          <select {id} name="edit-sign-in-by" bind:value={draft.mine.signInBy} class="field w-full">
            {#each Object.entries(signInWays) as [way, word] (way)}<option value={way}>{word}</option>{/each}
          </select>
        {/snippet}
      </Field>
    {/if}
    <Field label="Tags" name="tags" problem={tagsFault(draft.mine.tags) ?? problem} hint="KEY=VALUE, separated by commas; gathering groups gather by them.">
      {#snippet children(id)}<TextInput {id} name="edit-tags" bind:value={draft.mine.tags} placeholder="team=seeds" />{/snippet}
    </Field>
    </div>
    {#if group}
      <Field label="Owner (optional)" name="owner" {problem} hint="May change the members without being an administrator.">
        {#snippet children(id)}<Choice {id} name="edit-owner" bind:value={draft.mine.owner} options={known} />{/snippet}
      </Field>
      {#if gathering}
        <Field label="Gathers people with" name="gathers" {problem} hint={'Such as: tag team is "seeds" and kind is "user"'}>
          {#snippet children(id)}<TextInput {id} name="edit-gathers" bind:value={draft.mine.gathers} placeholder={'tag team is "seeds"'} class="font-mono" />{/snippet}
        </Field>
      {/if}
    {/if}
  {/snippet}
</ChangeDialog>
