<!-- Puts somebody into a group: asks for the group when the member is given, for the member when the group is. -->
<script lang="ts">
  import { Button, Modal, Radio } from "flowbite-svelte";
  import { untrack } from "svelte";
  import { api, ask, asProblem, type PrincipalRef, type Problem } from "../lib/api";
  import { groups, guests, users } from "../lib/directory";
  import { undo } from "../lib/undo.svelte";
  import { session } from "../lib/session.svelte";
  import Choice from "./Choice.svelte";
  import Field from "./Field.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";

  let { open = $bindable(false), member, group, ondone }: { open?: boolean; member?: PrincipalRef; group?: string; ondone: () => void } = $props();

  let kind = $state<"user" | "guest" | "group">("user");
  let name = $state("");
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);
  let known = $state.raw<Record<"user" | "guest" | "group", { value: string; hint?: string }[]>>({ user: [], guest: [], group: [] });

  $effect(() => {
    if (open) untrack(prepare);
  });

  async function prepare() {
    name = "";
    problem = null;
    try {
      const [u, o, g] = await Promise.all([users(session.organisation), guests(session.organisation), groups(session.organisation)]);
      known = { user: u.map((x) => ({ value: x.name, hint: x.title })), guest: o.map((x) => ({ value: x.name, hint: x.title })), group: g.filter((x) => !x.gathers).map((x) => ({ value: x.name, hint: x.title })) };
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  async function put(event: Event) {
    event.preventDefault();
    busy = true;
    problem = null;
    const into = group ?? name.trim();
    const who = member ?? { kind, name: name.trim() };
    try {
      const { revision } = await ask(api.POST("/organisations/{organisation}/groups/{group}/members", { params: { path: { organisation: session.organisation, group: into } }, body: who }));
      open = false;
      ondone();
      undo.offer(`${who.name} added to ${into}.`, revision);
    } catch (caught) {
      problem = asProblem(caught);
    } finally {
      busy = false;
    }
  }
</script>

<Modal bind:open size="sm" title={member ? `Add ${member.name} to a group` : `Add a member to ${group}`} outsideclose>
  <form onsubmit={put} class="space-y-5">
    {#if group}
      <div class="flex gap-5">
        <Radio name="member-kind" bind:group={kind} value="user">User</Radio>
        <Radio name="member-kind" bind:group={kind} value="guest">Guest</Radio>
        <Radio name="member-kind" bind:group={kind} value="group">Group</Radio>
      </div>
    {/if}
    <Field label={group ? (kind === "group" ? "Name of the group to put in" : `Name of the ${kind}`) : "Name of the group"} name="name" {problem} hint="All that the group holds counts for the new member at once.">
      {#snippet children(id)}<Choice {id} name="member" bind:value={name} options={group ? known[kind] : known.group} />{/snippet}
    </Field>
    {#if problem && problem.field !== "name"}<ProblemNote {problem} />{/if}
    <div class="flex justify-end gap-2">
      <QuietButton type="button" onclick={() => (open = false)}>Cancel</QuietButton>
      <Button type="submit" disabled={busy || !name} data-test="confirm-member">Add</Button>
    </div>
  </form>
</Modal>
