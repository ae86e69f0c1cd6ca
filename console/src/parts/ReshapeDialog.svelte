<!-- Moves, edits, retires or restores a scope, after showing what that does. -->
<script lang="ts">
  import { untrack } from "svelte";
  import { push } from "svelte-spa-router";
  import { api, ask, confirming, heeding, type Schemas, type Scope } from "../lib/api";
  import { Draft } from "../lib/draft.svelte";
  import { Kept } from "../lib/kept.svelte";
  import { session } from "../lib/session.svelte";
  import { undo } from "../lib/undo.svelte";
  import { tree } from "../lib/tree.svelte";
  import { tagsFault, tagsIn, tagsOut } from "../lib/tags";
  import { href } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import Choice from "./Choice.svelte";
  import Field from "./Field.svelte";
  import TextInput from "./TextInput.svelte";
  import ConflictNotice from "./ConflictNotice.svelte";

  type Impact = Schemas["Impact"] | null;
  export type ReshapeKind = "move" | "edit" | "retire" | "restore";
  let { open = $bindable(false), scope, way, target = "", ondone }: { open?: boolean; scope: Scope; way: ReshapeKind; target?: string; ondone: () => void } = $props();

  let to = $state("");
  const lastOf = (of: Scope) => (of.type ? of.name.slice(0, -of.type.length - 1) : of.name);
  const last = $derived(lastOf(scope));
  const textsOf = (of: Scope) => ({ name: lastOf(of), title: of.title, description: of.description, tags: tagsOut(of.tags) });
  const draft = new Draft(untrack(() => textsOf(scope)));
  const words = { name: "the name", title: "the title", description: "the description", tags: "the tags" };

  const kept = new Kept(() => draft.kept, (written) => draft.resume(written));

  $effect(() => {
    if (!open) return;
    untrack(() => {
      to = target;
      draft.begin(textsOf(scope));
      if (way === "edit") kept.begin("edit scope " + scope.id);
    });
  });

  // Only what was altered is asked for: each takes a permission of its own. It is to be still as it was read.
  const change = $derived.by((): Omit<Schemas["Reshaping"], "scopes"> => {
    if (way === "move") return to.trim() ? { to: to.trim() } : {};
    if (way !== "edit") return { state: way === "retire" ? "retired" : "active" };
    const edit: Omit<Schemas["Reshaping"], "scopes"> = {};
    const was: Schemas["AsRead"] = {};
    const { mine, read, altered } = draft;
    if (altered.includes("name")) [edit.name, was.name] = [mine.name.trim(), read.name];
    if (altered.includes("title")) [edit.title, was.title] = [mine.title, read.title];
    if (altered.includes("description")) [edit.description, was.description] = [mine.description, read.description];
    if (altered.includes("tags")) {
      [edit.tags, was.tags] = [tagsIn(mine.tags), tagsIn(read.tags)];
      edit.untag = Object.keys(was.tags).filter((key) => !(key in (edit.tags ?? {})));
    }
    return altered.length > 0 ? { ...edit, was } : {};
  });
  const ready = $derived(Object.keys(change).length > 0 && draft.disputed.length === 0 && !tagsFault(draft.mine.tags) && (way !== "move" || tree.nodes.some((n) => n.address === to.trim())));
  const places = $derived(tree.nodes.filter((n) => n.kind !== "resource" && n.address !== scope.address && !n.address.startsWith(scope.address + "/")));
  const path = $derived({ organisation: session.organisation });

  // What somebody else has changed meanwhile is shown beside.
  const meet = async () => draft.meet(textsOf(await ask(api.GET("/scopes/{scope}", { params: { path: { scope: scope.id } } }))));

  async function preview(): Promise<Impact> {
    return (await heeding(ask(api.PATCH("/organisations/{organisation}/scopes", { params: { path, query: { preview: true } }, body: { scopes: [scope.id], ...change } })), meet)).impact ?? null;
  }

  async function make(impact: Impact) {
    const { to: moved, name: renamed } = change;
    const before = { name: scope.name, address: scope.address };
    const done = way;
    const { revision } = await heeding(ask(api.PATCH("/organisations/{organisation}/scopes", { params: { path, header: confirming(impact) }, body: { scopes: [scope.id], ...change } })), meet);
    if (renamed && scope.kind === "organisation") session.begin(await ask(api.GET("/session"))); // everybody is called by the new name
    await tree.load();
    undo.offer(`${before.name} ${{ move: "moved", retire: "retired", restore: "restored", edit: "edited" }[done]}.`, revision, async () => {
      if (renamed && scope.kind === "organisation") session.begin(await ask(api.GET("/session")));
      await tree.load();
      if (moved || renamed) push(href.scope(before.address).slice(1));
    });
    if (!moved && !renamed) return ondone();
    const above = moved ? [moved] : scope.address.split("/").slice(0, -1);
    push(href.scope([...above, (renamed ?? last) + (scope.type ? "." + scope.type : "")].join("/")).slice(1));
  }

  const verbs = { move: "Move", edit: "Edit", retire: "Retire", restore: "Restore" };
</script>

<ChangeDialog bind:open title="{verbs[way]} {scope.name}{way === 'retire' || way === 'restore' ? '?' : ''}" action={way === "edit" ? "Save" : verbs[way]} {ready} {preview} asks={() => change} kept={way === "edit" ? kept : undefined} {make} size={way === "edit" ? "md" : "sm"}>
  {#snippet children(told)}
    {@const problem = draft.disputed.length > 0 ? null : told}
    {#if way === "move"}
      <Field label="Into" name="to" {problem} hint="Everything below goes with it, and follows its new ancestors at once.">
        {#snippet children(id)}<Choice {id} name="move-to" bind:value={to} options={places.map((n) => ({ value: n.address, hint: n.title }))} />{/snippet}
      </Field>
    {:else if way === "edit"}
      <ConflictNotice {draft} {words} />
      <div class="grid grid-cols-2 gap-4 max-sm:grid-cols-1">
        <Field label="Name" name="name" {problem} hint="Id and access stay; statements are written with the new name.">
          {#snippet children(id)}<TextInput {id} name="scope-name" bind:value={draft.mine.name} required />{/snippet}
        </Field>
        <Field label="Title" name="title" {problem}>
          {#snippet children(id)}<TextInput {id} name="scope-title" bind:value={draft.mine.title} />{/snippet}
        </Field>
        <Field label="About" name="description" {problem}>
          {#snippet children(id)}<TextInput {id} name="scope-about" bind:value={draft.mine.description} />{/snippet}
        </Field>
        <Field label="Tags" name="tags" problem={tagsFault(draft.mine.tags) ?? problem} hint="KEY=VALUE, separated by commas; conditions look at them.">
          {#snippet children(id)}<TextInput {id} name="scope-tags" bind:value={draft.mine.tags} placeholder="care=high" />{/snippet}
        </Field>
      </div>
    {:else if way === "retire"}
      <p>Everything at <span class="address">{scope.address}</span> and below it is denied at once. Its grants stay, and it can be restored exactly as it was.</p>
    {:else}
      <p><span class="address">{scope.address}</span> and everything below it is in use again, exactly as it was.</p>
    {/if}
  {/snippet}
</ChangeDialog>
