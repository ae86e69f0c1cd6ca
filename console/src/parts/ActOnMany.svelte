<!-- What can be done to several people, groups or service accounts as one change: all of them or none, after showing what it does. -->
<script lang="ts" module>
  type Way = "grant" | "add" | "remove" | "tag" | "suspended" | "retired" | "active";
</script>

<script lang="ts">
  import { untrack } from "svelte";
  import { api, ask, type PrincipalRef, type Problem, type Role, type Schemas } from "../lib/api";
  import { asking } from "../lib/asking";
  import { authority } from "../lib/authority.svelte";
  import type { Option } from "../lib/choices";
  import { groups, roleOptions, roles } from "../lib/directory";
  import { sending } from "../lib/sending";
  import { session } from "../lib/session.svelte";
  import { tagsFault, tagsIn } from "../lib/tags";
  import { tree } from "../lib/tree.svelte";
  import { count, momentOf } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import Choice from "./Choice.svelte";
  import MomentInput from "./MomentInput.svelte";
  import Field from "./Field.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import TextInput from "./TextInput.svelte";

  type One = PrincipalRef & { state: Schemas["State"] };
  // One and many are what they are called; operations are named after type.
  let { chosen, one, many = one + "s", type, ondone }: { chosen: One[]; one: string; many?: string; type: "user" | "group" | "service-account"; ondone: () => void } = $props();

  const most = 500; // changes made as one
  const ways: { way: Way; word: string; needs: string; title: string; told: string }[] = [
    { way: "grant", word: "Grant a role", needs: "create grant", title: "Grant a role to", told: "were granted a role" },
    { way: "add", word: "Add to a group", needs: "enrol group", title: "Add to a group:", told: "were added to a group" },
    { way: "remove", word: "Remove from a group", needs: "enrol group", title: "Remove from a group:", told: "were removed from a group" },
    { way: "tag", word: "Tag", needs: "tag ", title: "Tag", told: "were tagged" },
    { way: "suspended", word: "Suspend", needs: "suspend ", title: "Suspend", told: "were suspended" },
    { way: "retired", word: "Retire", needs: "retire ", title: "Retire", told: "were retired" },
    { way: "active", word: "Restore", needs: "restore ", title: "Restore", told: "were restored" },
  ];

  let open = $state(false);
  let way = $state<Way>("grant");
  let group = $state("");
  let where = $state("");
  let role = $state("");
  let until = $state("");
  let tag = $state("");
  let knownGroups = $state.raw<Option[]>([]);
  let knownRoles = $state.raw<Role[]>([]);
  let problem = $state.raw<Problem | null>(null);

  // Retiring and restoring mean those alone who are in another state.
  const meant = $derived(isState(way) ? chosen.filter((x) => x.state !== way && x.state !== "pending") : chosen);
  const act = $derived(ways.find((x) => x.way === way)!);
  const offered = $derived(
    ways.filter((x) => {
      if (isState(x.way) && !chosen.some((other) => other.state !== x.way && other.state !== "pending")) return false;
      if (x.way === "suspended" && type === "group") return false;
      // A service account may be governed where it lives, and not at the top.
      return type === "service-account" || authority.may(x.needs.endsWith(" ") ? x.needs + type : x.needs);
    }),
  );

  function isState(w: Way): w is "suspended" | "retired" | "active" {
    return w === "suspended" || w === "retired" || w === "active";
  }

  function begin(wanted: Way) {
    way = wanted;
    group = role = until = tag = "";
    where = session.organisation;
    problem = null;
    if (tree.nodes.length === 0) void tree.load();
    if (way === "add" || way === "remove") {
      groups(session.organisation).then(
        (list) => (knownGroups = list.filter((g) => !g.gathers).map((g) => ({ value: g.name, hint: g.title }))),
        (caught) => (problem = caught as Problem),
      );
    }
    open = true;
  }

  const node = $derived(tree.nodes.find((n) => n.address === where.trim()));
  $effect(() => {
    if (!open || way !== "grant" || !node) return;
    const { id } = node;
    return asking(() => roles(id), (found) => (knownRoles = found), (caught) => (problem = caught));
  });

  const ready = $derived.by(() => {
    if (meant.length === 0 || meant.length > most) return false;
    if (way === "add" || way === "remove") return knownGroups.some((g) => g.value === group.trim());
    if (way === "tag") return !tagsFault(tag) && tag.trim() !== "";
    if (way === "grant") return node !== undefined && knownRoles.some((r) => r.name === role.trim());
    return true;
  });

  const changes = $derived(
    meant.map(({ kind, name }): Schemas["ChangeWanted"] => {
      const principal = { kind, name };
      if (way === "add") return { addMember: { group: group.trim(), member: principal } };
      if (way === "remove") return { removeMember: { group: group.trim(), member: principal } };
      if (way === "tag") return { tagPrincipal: { principal, tags: tagsIn(tag) } };
      if (way === "grant") return { createGrant: { scope: node?.id ?? "", grant: { principal, role: role.trim(), until: momentOf(until) } } };
      return { setState: { principal, state: way } };
    }),
  );

  const { preview, make } = sending(
    (query, header) => ask(api.POST("/organisations/{organisation}/changes", { params: { path: { organisation: session.organisation }, query, header }, body: { changes } })),
    () => `${who} ${act.told}.`,
    () => untrack(ondone),
  );
  const who = $derived(count(meant.length, one, many));
</script>

{#each offered as x (x.way)}<button type="button" class="link" onclick={() => begin(x.way)}>{x.word}</button>{/each}

<ChangeDialog bind:open title="{act.title} {who}" action={act.word.split(" ")[0] ?? ""} {ready} {preview} {make} size="md">
  {#snippet children(told)}
    <p class="quiet max-h-24 overflow-y-auto">{meant.map((x) => x.name).join(", ")}</p>
    {#if meant.length < chosen.length}<p class="quiet text-sm">Left out: {count(chosen.length - meant.length, one, many)} in that state already, or still invited.</p>{/if}
    {#if meant.length > most}<p role="alert" class="font-semibold text-copper-700 dark:text-copper-300">At most {most} at a time: choose fewer.</p>{/if}
    {#if way === "add" || way === "remove"}
      <Field label="Group" name="name" problem={null}>
        {#snippet children(id)}<Choice {id} name="many-group" bind:value={group} options={knownGroups} />{/snippet}
      </Field>
    {:else if way === "tag"}
      <Field label="Tags" name="tags" problem={null} hint="KEY=VALUE, several parted by commas. Other tags stay.">
        {#snippet children(id)}<TextInput {id} name="many-tags" bind:value={tag} placeholder="team=seeds" />{/snippet}
      </Field>
    {:else if way === "grant"}
      <Field label="At" name="where" problem={null} hint="It counts there and for everything below.">
        {#snippet children(id)}<Choice {id} name="many-where" bind:value={where} options={tree.nodes.map((n) => ({ value: n.address, hint: n.title }))} />{/snippet}
      </Field>
      <Field label="Role" name="role" problem={null}>
        {#snippet children(id)}<Choice {id} name="many-role" bind:value={role} options={roleOptions(knownRoles)} placeholder="Search by purpose: view, run, edit, admin" />{/snippet}
      </Field>
      <Field label="Until (optional)" name="until" problem={null}>
        {#snippet children(id)}<MomentInput {id} name="many-until" bind:value={until} />{/snippet}
      </Field>
    {:else}
      <p class="quiet">{way === "active" ? "Their access counts again, at once." : "They lose all access at once. What was granted is kept, and you can restore them."}</p>
    {/if}
    {#if told?.field}<ProblemNote problem={told} />{/if}
    {#if problem}<ProblemNote {problem} />{/if}
  {/snippet}
</ChangeDialog>
