<script lang="ts">
  import { Button, Modal, Radio } from "flowbite-svelte";
  import { api, ask, asProblem, confirming, type Problem, type Role, type Schemas, type Scope } from "../lib/api";
  import { groups, guests, roles, users } from "../lib/directory";
  import { session } from "../lib/session.svelte";
  import { count } from "../lib/words";
  import Choice from "./Choice.svelte";
  import Field from "./Field.svelte";
  import ImpactNote from "./ImpactNote.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";

  type Kind = "group" | "user" | "guest" | "service-account" | "set";
  type Known = { value: string; hint?: string }[];
  type Prepared = { kind: "user" | "group"; name: string; role: string };
  const kinds: { kind: Kind; word: string; example: string }[] = [
    { kind: "group", word: "Group", example: "glasshouse-engineers" },
    { kind: "user", word: "User", example: "bram" },
    { kind: "guest", word: "Guest", example: "juno@quaywater" },
    { kind: "service-account", word: "Service account", example: "lindenmere/science/herbarium/digitising/label-indexer" },
    { kind: "set", word: "Built-in set", example: "staff" },
  ];
  const sets: Known = [
    { value: "staff", hint: "the organisation's own active users" },
    { value: "guests", hint: "its guests" },
    { value: "everyone", hint: "all the organisation knows" },
    { value: "signed-in", hint: "anyone with a session, known or not" },
    { value: "public", hint: "anyone at all" },
  ];
  let { open = $bindable(false), at, prepared, ondone }: { open?: boolean; at: Scope; prepared: Prepared; ondone: (grant: string) => void } = $props();

  let kind = $state<Kind>("group");
  let name = $state("");
  let role = $state("");
  let description = $state("");
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);
  let known = $state.raw<Record<Kind, Known>>({ group: [], user: [], guest: [], "service-account": [], set: sets });
  let knownRoles = $state.raw<Role[]>([]);

  $effect(() => {
    if (open) prepare();
  });

  async function prepare() {
    ({ kind, name, role } = prepared);
    description = "";
    problem = null;
    try {
      const [u, g, o, a, r] = await Promise.all([
        users(session.organisation), groups(session.organisation), guests(session.organisation),
        ask(api.GET("/scopes/{scope}/service-accounts", { params: { path: { scope: session.organisation } } })), roles(at.id),
      ]);
      known = {
        user: u.map((x) => ({ value: x.name, hint: x.title })),
        group: g.map((x) => ({ value: x.name, hint: count(x.members, "member") })),
        guest: o.map((x) => ({ value: x.name, hint: x.title + (x.state === "active" ? "" : `, ${x.state}`) })),
        "service-account": a.accounts.map((x) => ({ value: x.address, hint: x.title })),
        set: sets,
      };
      knownRoles = r;
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  const example = $derived(kinds.find((k) => k.kind === kind));
  const chosen = $derived(knownRoles.find((r) => r.name === role));
  const someone = $derived(known[kind].some((k) => k.value === name.trim()));
  const reach = $derived(at.kind === "resource" ? "" : " and everything beneath it, present and future");

  let impact = $state.raw<Schemas["Impact"] | null>(null);
  const wanted = $derived({ principal: { kind, name: name.trim() }, role: role.trim(), description: description || undefined });

  // The impact is worked out anew for each choice; an answer that comes too late is left aside.
  $effect(() => {
    if (!open || !chosen || !someone) return;
    const { principal, role } = wanted;
    let late = false;
    impact = null;
    ask(api.POST("/scopes/{scope}/grants", { params: { path: { scope: at.id }, query: { preview: true } }, body: { principal, role } })).then(
      (answer) => {
        if (!late && "impact" in answer) [impact, problem] = [answer.impact ?? null, null];
      },
      (caught) => {
        if (!late) problem = asProblem(caught);
      },
    );
    return () => (late = true);
  });

  async function grant(event: Event) {
    event.preventDefault();
    busy = true;
    problem = null;
    try {
      const made = await ask(api.POST("/scopes/{scope}/grants", { params: { path: { scope: at.id }, header: confirming(impact) }, body: wanted }));
      if ("grant" in made) ondone(made.grant.id);
    } catch (caught) {
      problem = asProblem(caught);
      impact = problem.impact ?? impact;
    } finally {
      busy = false;
    }
  }
</script>

<Modal bind:open size="md" title="Grant a role" outsideclose>
  <form onsubmit={grant} class="space-y-5">
    <p class="quiet">At <span class="address text-gray-900 dark:text-gray-100">{at.address}</span>{reach}.</p>
    <fieldset>
      <legend class="label">Who</legend>
      <div class="mb-2 flex flex-wrap gap-x-5 gap-y-1">
        {#each kinds as k (k.kind)}<Radio name="kind" bind:group={kind} value={k.kind}>{k.word}</Radio>{/each}
      </div>
      <Field label="{kind === 'service-account' ? 'Address' : 'Name'} of the {example?.word.toLowerCase()}" name="name" {problem} hint="A group outlives the people in it: prefer one for lasting work.">
        {#snippet children(id)}<Choice {id} name="who" bind:value={name} options={known[kind]} placeholder={example?.example} />{/snippet}
      </Field>
    </fieldset>
    <Field label="Role" name="role" {problem} hint={chosen ? chosen.description : "What the role gives is said here once you have chosen one."}>
      {#snippet children(id)}<Choice {id} name="role" bind:value={role} options={knownRoles.map((r) => ({ value: r.name, hint: r.title }))} placeholder="observer" />{/snippet}
    </Field>
    <Field label="Why (optional)" name="description" {problem}>
      {#snippet children(id)}<Choice {id} name="why" bind:value={description} options={[]} placeholder="Said beside the grant, for whoever looks later" />{/snippet}
    </Field>
    {#if chosen && someone}
      <div data-test="review" class="space-y-3">
        <p><strong>{kind.replace("-", " ")} {name}</strong> gets <strong>{chosen.name}</strong> at <strong>{at.name}</strong>{reach}.</p>
        {#if impact}<ImpactNote {impact} />{/if}
      </div>
    {/if}
    {#if problem && !problem.field}<ProblemNote {problem} />{/if}
    <div class="flex justify-end gap-2">
      <QuietButton type="button" onclick={() => (open = false)}>Cancel</QuietButton>
      <Button type="submit" disabled={busy || !name || !role} data-test="confirm-grant">Grant</Button>
    </div>
  </form>
</Modal>
