<!-- Creates a person of an identity provider before they come by themselves, with groups. -->
<script lang="ts">
  import { untrack } from "svelte";
  import { push } from "svelte-spa-router";
  import { api, ask, confirming, type Schemas } from "../lib/api";
  import { groups } from "../lib/directory";
  import { Kept } from "../lib/kept.svelte";
  import { session } from "../lib/session.svelte";
  import { href } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import Choice from "./Choice.svelte";
  import Field from "./Field.svelte";
  import TextInput from "./TextInput.svelte";

  type Impact = Schemas["Impact"] | null;
  let { open = $bindable(false), provider }: { open?: boolean; provider: string } = $props();

  const blank = { subject: "", name: "", title: "", groups: [] as string[] };
  let fields = $state({ ...blank });
  let group = $state(""); // the next one
  let known = $state.raw<{ value: string; hint?: string }[]>([]);
  const kept = new Kept(() => ({ ...fields }), (written) => (fields = written ?? fields));

  $effect(() => {
    if (!open) return;
    untrack(() => {
      fields = { ...blank, groups: [] };
      group = "";
      kept.begin(`outside person of ${provider}`);
    });
    groups(session.organisation).then((list) => (known = list.filter((g) => !g.gathers).map((g) => ({ value: g.name, hint: g.title }))));
  });

  function add() {
    if (!known.some((g) => g.value === group)) return;
    if (!fields.groups.includes(group)) fields.groups.push(group);
    group = "";
  }

  const body = $derived({ provider, subject: fields.subject.trim(), name: fields.name.trim(), title: fields.title.trim() || undefined, groups: fields.groups });
  const ready = $derived(body.subject !== "" && body.name !== "" && group === "");
  const path = $derived({ organisation: session.organisation });

  async function preview(): Promise<Impact> {
    const told = await ask(api.POST("/organisations/{organisation}/outside-people", { params: { path, query: { preview: true } }, body }));
    return "impact" in told ? (told.impact ?? null) : null;
  }

  async function make(impact: Impact) {
    const made = await ask(api.POST("/organisations/{organisation}/outside-people", { params: { path, header: confirming(impact) }, body }));
    if ("person" in made) push(href.principal({ kind: "outside-person", name: made.person.name }).slice(1));
  }
</script>

<ChangeDialog bind:open title="Create a person of {provider}" action="Create" {ready} {preview} asks={() => body} {kept} {make}>
  {#snippet children(problem)}
    <p>They find their groups and grants when they sign in for the first time.</p>
    <div class="grid grid-cols-2 gap-4 max-sm:grid-cols-1">
      <Field label="Subject" name="subject" {problem} hint="What the provider knows them by. It never changes.">
        {#snippet children(id)}<TextInput {id} name="outside-subject" bind:value={fields.subject} required />{/snippet}
      </Field>
      <Field label="Name" name="name" {problem} hint={`Called ${fields.name.trim() || "NAME"}@${provider}.`}>
        {#snippet children(id)}<TextInput {id} name="outside-name" bind:value={fields.name} autocapitalize="none" required />{/snippet}
      </Field>
      <Field label="Display name" name="title" {problem}>
        {#snippet children(id)}<TextInput {id} name="outside-title" bind:value={fields.title} />{/snippet}
      </Field>
      <Field label="Add to a group" name="groups" {problem}>
        {#snippet children(id)}<Choice {id} name="outside-group" bind:value={group} options={known} adds onchosen={add} />{/snippet}
      </Field>
    </div>
    {#if fields.groups.length > 0}
      <ul class="flex flex-wrap gap-2" data-test="outside-groups">
        {#each fields.groups as name, i (name)}
          <li class="rounded-full bg-gray-100 py-1 ps-3 pe-2 text-sm dark:bg-gray-800">{name} <button type="button" class="link" aria-label="Take {name} away" onclick={() => fields.groups.splice(i, 1)}>×</button></li>
        {/each}
      </ul>
    {/if}
  {/snippet}
</ChangeDialog>
