<!-- Moves, tags, retires or restores several scopes in one change, all of them or none. -->
<script lang="ts" module>
  export type ReshapeKind = "move" | "tag" | "retire" | "restore";
</script>

<script lang="ts">
  import { api, ask, confirming, type Schemas, type ScopeNode } from "../lib/api";
  import { session } from "../lib/session.svelte";
  import { tree } from "../lib/tree.svelte";
  import { undo } from "../lib/undo.svelte";
  import { tagsFault, tagsIn } from "../lib/tags";
  import { capital, count } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import Choice from "./Choice.svelte";
  import Field from "./Field.svelte";
  import TextInput from "./TextInput.svelte";

  type Impact = Schemas["Impact"] | null;
  let { open = $bindable(false), scopes, way, ondone }: { open?: boolean; scopes: ScopeNode[]; way: ReshapeKind; ondone: () => void } = $props();

  let to = $state("");
  let tags = $state("");

  $effect(() => {
    if (open) to = tags = "";
  });

  const places = $derived(tree.nodes.filter((n) => n.kind !== "resource" && !scopes.some((s) => n.address === s.address || n.address.startsWith(s.address + "/"))));
  const body = $derived.by((): Schemas["Reshaping"] => {
    const ids = scopes.map((s) => s.id);
    if (way === "move") return { scopes: ids, to: to.trim() };
    if (way === "tag") return { scopes: ids, tags: tagsIn(tags) };
    return { scopes: ids, state: way === "retire" ? "retired" : "active" };
  });
  const ready = $derived(scopes.length > 0 && (way === "move" ? places.some((n) => n.address === to.trim()) : way === "tag" ? Object.keys(tagsIn(tags)).length > 0 && !tagsFault(tags) : true));
  const path = $derived({ organisation: session.organisation });

  async function preview(): Promise<Impact> {
    return (await ask(api.PATCH("/organisations/{organisation}/scopes", { params: { path, query: { preview: true } }, body }))).impact ?? null;
  }

  async function make(impact: Impact) {
    const [made, done] = [body, way];
    const { revision } = await ask(api.PATCH("/organisations/{organisation}/scopes", { params: { path, header: confirming(impact) }, body: made }));
    ondone();
    await tree.load();
    undo.offer(`${count(made.scopes.length, "scope")} ${{ move: "moved", tag: "tagged", retire: "retired", restore: "restored" }[done]}.`, revision, () => tree.load());
  }
</script>

<ChangeDialog bind:open title="{capital(way)} {count(scopes.length, 'scope')}" action={capital(way)} {ready} {preview} {make}>
  {#snippet children(problem)}
    <ul class="max-h-40 overflow-y-auto">{#each scopes as s (s.id)}<li class="address">{s.address}</li>{/each}</ul>
    {#if way === "move"}
      <Field label="Into" name="to" {problem} hint="Everything below each goes with it, and follows its new ancestors at once.">
        {#snippet children(id)}<Choice {id} name="move-all-to" bind:value={to} options={places.map((n) => ({ value: n.address, hint: n.title }))} />{/snippet}
      </Field>
    {:else if way === "tag"}
      <Field label="Tags" name="tags" problem={tagsFault(tags) ?? problem} hint="KEY=VALUE, separated by commas, set on each; other tags stay.">
        {#snippet children(id)}<TextInput {id} name="tag-all" bind:value={tags} placeholder="care=high" />{/snippet}
      </Field>
    {:else}
      <p class="quiet">{way === "retire" ? "All access at and below them is denied at once, and can be restored exactly as it was." : "They are in use again, exactly as they were."}</p>
    {/if}
    {#if problem?.field === "scopes"}<p role="alert" class="font-semibold text-copper-700 dark:text-copper-300">{capital(problem.detail)}</p>{/if}
  {/snippet}
</ChangeDialog>
