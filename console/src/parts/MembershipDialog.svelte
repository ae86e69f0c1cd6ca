<!-- Adds members to a group, or one member to groups, as many at once as are wanted: all or none, after showing what that does. -->
<script lang="ts">
  import { untrack } from "svelte";
  import { api, ask, asProblem, type PrincipalRef, type Problem, type Schemas } from "../lib/api";
  import { groups, guests, outsidePeople, serviceAccounts, users } from "../lib/directory";
  import { Kept } from "../lib/kept.svelte";
  import { sending } from "../lib/sending";
  import { session } from "../lib/session.svelte";
  import { count } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";
  import Choice from "./Choice.svelte";
  import Field from "./Field.svelte";
  import ProblemNote from "./ProblemNote.svelte";

  type Known = PrincipalRef & { value: string; hint: string };
  // Already is who is in the group, or which groups the member is in.
  let { open = $bindable(false), member, group, already, ondone }: { open?: boolean; member?: PrincipalRef; group?: string; already: PrincipalRef[]; ondone: () => void } = $props();

  let typed = $state("");
  let chosen = $state.raw<Known[]>([]);
  let known = $state.raw<Known[]>([]);
  let loaded = $state(false); // who is known was read
  let unread = $state.raw<Problem | null>(null); // why a list could not be read

  const kept = new Kept(() => ({ typed, chosen }), (written) => ({ typed, chosen } = written));

  $effect(() => {
    if (open) untrack(prepare);
  });

  async function prepare() {
    [typed, chosen, unread, loaded] = ["", [], null, false];
    kept.begin(`members ${group ?? member?.name}`);
    const named = (kind: Schemas["PrincipalKind"], word: string) => (x: { name: string; title: string }): Known => ({ kind, name: x.name, value: x.name, hint: [word, x.title].filter(Boolean).join(", ") });
    const read = [groups(session.organisation).then((list) => list.filter((x) => !x.gathers).map(named("group", "group")))];
    if (group) {
      read.unshift(users(session.organisation).then((list) => list.map(named("user", ""))), guests(session.organisation).then((list) => list.map(named("guest", "guest"))), outsidePeople(session.organisation).then((list) => list.map(named("outside-person", "outside person"))));
      read.push(serviceAccounts(session.organisation).then((list) => list.map((x) => named("service-account", "service account")({ name: x.address, title: x.title }))));
    }
    // Each list helps where the person may see it.
    const lists = await Promise.allSettled(read);
    const refused = lists.find((list) => list.status === "rejected");
    if (refused && lists.every((list) => list.status === "rejected")) unread = asProblem(refused.reason);
    known = lists.flatMap((list) => (list.status === "fulfilled" ? list.value : [])).filter((one) => !isIn(one));
    loaded = true;
  }

  const isIn = (one: Known) => (one.kind === "group" && one.name === group) || already.some((there) => there.kind === one.kind && there.name === one.name);
  const isChosen = (one: Known) => chosen.some((there) => there.kind === one.kind && there.name === one.name);
  const find = (name: string) => known.find((k) => k.value === name.trim());
  // What is written and not added yet is taken along.
  const pending = $derived(find(typed));
  const wanted = $derived(pending && !isChosen(pending) ? [...chosen, pending] : chosen);
  const ready = $derived(wanted.length > 0 && (typed.trim() === "" || pending !== undefined));

  function add() {
    const found = find(typed);
    if (!found) return;
    if (!isChosen(found)) chosen = [...chosen, found];
    typed = "";
  }

  // A comma ends a name, so that a list of them can be typed or pasted, also before it is known who there is; a name that nobody has stays
  // in the field.
  $effect(() => {
    if (!loaded || !typed.includes(",")) return;
    const names = typed.split(",").map((name) => name.trim()).filter(Boolean);
    const found = names.map(find).filter((one) => one !== undefined);
    untrack(() => (chosen = [...chosen, ...[...new Set(found)].filter((one) => !isChosen(one))]));
    typed = names.filter((name) => !find(name)).join(" ");
  });

  const path = $derived({ organisation: session.organisation });
  const changes = $derived(
    wanted.map(({ kind, name }) => ({ addMember: group ? { group, member: { kind, name } } : { group: name, member: member ?? { kind, name } } })),
  );

  const { preview, make } = sending(
    (query, header) => ask(api.POST("/organisations/{organisation}/changes", { params: { path, query, header }, body: { changes } })),
    () => {
      const [first] = wanted;
      const who = wanted.length > 1 ? count(wanted.length, group ? "member" : "group") : (first?.name ?? "");
      return group ? `${who} added to ${group}.` : `${member?.name} added to ${who}.`;
    },
    () => ondone(),
  );
</script>

<ChangeDialog bind:open title={member ? `Add ${member.name} to groups` : `Add members to ${group}`} action="Add" {ready} {preview} {kept} {make}>
  {#snippet children(told)}
    {#if chosen.length > 0}
      <ul class="flex flex-wrap gap-2" aria-label="Chosen" data-test="chosen-members">
        {#each chosen as one (one.kind + one.name)}
          <li class="flex items-center gap-2 rounded-full bg-gray-100 py-1 ps-3 pe-2 dark:bg-gray-800">
            {one.name}<button type="button" class="link text-sm" aria-label="Leave out {one.name}" onclick={() => (chosen = chosen.filter((other) => other !== one))}>✕</button>
          </li>
        {/each}
      </ul>
    {/if}
    <Field label={group ? "Users, guests, service accounts or groups" : "Groups"} name="name" problem={null} hint="Enter or a comma adds one; add as many as you like. All that the group holds counts for a new member at once.">
      {#snippet children(id)}<Choice {id} name="member" bind:value={typed} options={known} adds leaves={false} onchosen={add} />{/snippet}
    </Field>
    {#if typed.trim() !== "" && !pending && known.length > 0}<p class="quiet text-sm">Nobody is called “{typed.trim()}”: choose from the list, or clear the field.</p>{/if}
    {#if told?.field}<ProblemNote problem={told} />{/if}
    {#if unread}<ProblemNote problem={unread} />{/if}
  {/snippet}
</ChangeDialog>
