<!-- Grants a role: who, what, where, on which terms, in any order, whatever of it is given. What is held already and what the
grant would do is told before it is made. -->
<script lang="ts" module>
  import type { Schemas as S } from "../lib/api";

  export type Prepared = { at?: string; who?: { kind: S["PrincipalKind"]; name: string }; role?: string };
</script>

<script lang="ts">
  import { Modal, Radio } from "flowbite-svelte";
  import { untrack } from "svelte";
  import { api, ask, asProblem, confirming, type Problem, type Role, type Schemas } from "../lib/api";
  import { asking, typing } from "../lib/asking";
  import { groups, guests, outsidePeople, providers, roleOptions, roles, users, serviceAccounts } from "../lib/directory";
  import { session } from "../lib/session.svelte";
  import { tree } from "../lib/tree.svelte";
  import { undo } from "../lib/undo.svelte";
  import { weigh } from "../lib/impact";
  import { Kept } from "../lib/kept.svelte";
  import { capital, count, href, momentOf, terms } from "../lib/words";
  import ActButton from "./ActButton.svelte";
  import Choice from "./Choice.svelte";
  import Field from "./Field.svelte";
  import HeldThere from "./HeldThere.svelte";
  import KeptNotice from "./KeptNotice.svelte";
  import ImpactNote from "./ImpactNote.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";
  import TermFields from "./TermFields.svelte";
  import TextInput from "./TextInput.svelte";

  type Kind = "group" | "user" | "guest" | "outside-person" | "service-account" | "provider" | "set";
  type Known = { value: string; hint?: string }[];
  const kinds: { kind: Kind; word: string }[] = [
    { kind: "group", word: "Group" },
    { kind: "user", word: "User" },
    { kind: "guest", word: "Guest" },
    { kind: "outside-person", word: "Outside person" },
    { kind: "service-account", word: "Service account" },
    { kind: "provider", word: "Identity provider" },
    { kind: "set", word: "Built-in set" },
  ];
  const sets: Known = [
    { value: "staff", hint: "the organisation's own active users" },
    { value: "guests", hint: "its guests" },
    { value: "everyone", hint: "all the organisation knows" },
    { value: "signed-in", hint: "anyone with a session, known or not" },
    { value: "public", hint: "anyone at all" },
  ];
  let { open = $bindable(false), prepared, ondone }: { open?: boolean; prepared: Prepared; ondone: (grant: string) => void } = $props();

  let where = $state("");
  let kind = $state<Kind>("group");
  let name = $state("");
  let role = $state("");
  let onTerms = $state(false);
  let condition = $state("");
  let from = $state("");
  let until = $state("");
  let description = $state("");
  let problem = $state.raw<Problem | null>(null);
  let busy = $state(false);
  let known = $state.raw<Record<Kind, Known | null>>({ group: [], user: [], guest: [], "outside-person": [], "service-account": [], provider: [], set: sets }); // null: not for them to see
  let knownRoles = $state.raw<Role[]>([]);
  let at = $state.raw<{ id: string; address: string; name: string; kind: string } | null>(null);

  // Begun when it opens, and by nothing that is read anew while somebody writes in it.
  $effect(() => {
    if (open) untrack(prepare);
  });

  const fields = () => ({ where, kind, name, role, onTerms, condition, from, until, description });
  const kept = new Kept(fields, (written) => ({ where, kind, name, role, onTerms, condition, from, until, description } = written));

  function cancel() {
    kept.drop();
    open = false;
  }

  async function prepare() {
    where = prepared.at ?? "";
    kind = (prepared.who?.kind ?? "group") as Kind;
    name = prepared.who?.name ?? "";
    role = prepared.role ?? "";
    condition = from = until = description = "";
    onTerms = false;
    problem = null;
    kept.begin(`grant ${where} ${kind} ${name} ${role}`);
    if (tree.nodes.length === 0) void tree.load();
    // Each list helps where the person may see it; a grant can be made without.
    const [u, g, o, a, b, p] = await Promise.allSettled([
      users(session.organisation), groups(session.organisation), guests(session.organisation),
      serviceAccounts(session.organisation), outsidePeople(session.organisation), providers(session.organisation),
    ]);
    known = {
      user: u.status === "fulfilled" ? u.value.map((x) => ({ value: x.name, hint: x.title })) : null,
      group: g.status === "fulfilled" ? g.value.map((x) => ({ value: x.name, hint: count(x.members, "member") })) : null,
      guest: o.status === "fulfilled" ? o.value.map((x) => ({ value: x.name, hint: x.title + (x.state === "active" ? "" : `, ${x.state}`) })) : null,
      "outside-person": b.status === "fulfilled" ? b.value.map((x) => ({ value: x.name, hint: x.title })) : null,
      "service-account": a.status === "fulfilled" ? a.value.map((x) => ({ value: x.address, hint: x.title })) : null,
      provider: p.status === "fulfilled" ? p.value.map((x) => ({ value: x.name, hint: x.title })) : null,
      set: sets,
    };
  }

  // The place: one of the tree as far as it is loaded, or, where nothing there begins so, one that the service knows.
  $effect(() => {
    const typed = where.trim();
    if (!open || typed === "" || at?.address === typed) return;
    const node = tree.nodes.find((n) => n.address === typed);
    if (node) {
      at = node;
      return;
    }
    at = null;
    if (tree.nodes.some((n) => n.address.startsWith(typed)) && typed !== prepared.at) return;
    return asking(
      () => ask(api.GET("/scopes/{scope}", { params: { path: { scope: typed } } })),
      (found) => (at = found),
      (caught) => (problem = { ...caught, field: "where" }),
      typing,
    );
  });

  // The roles that mean something at the place.
  $effect(() => {
    if (!open || !at) return;
    const { id } = at;
    return asking(() => roles(id), (found) => (knownRoles = found), (caught) => (problem = caught));
  });

  const example = $derived(kinds.find((k) => k.kind === kind));
  const chosen = $derived(knownRoles.find((r) => r.name === role.trim()));
  const someone = $derived(known[kind]?.some((k) => k.value === name.trim()) ?? name.trim() !== "");
  const reach = $derived(at?.kind === "resource" ? "" : " and everything below it, present and future");
  const asked = $derived({
    principal: { kind, name: name.trim() }, role: role.trim(),
    condition: (onTerms && condition.trim()) || undefined, from: onTerms ? momentOf(from) : undefined, until: onTerms ? momentOf(until) : undefined,
  });

  let impact = $state.raw<Schemas["Impact"] | null>(null);

  // The impact is worked out anew for each choice; an answer that comes too late is left aside.
  $effect(() => {
    if (!open || !at || !chosen || !someone) return;
    impact = null;
    const [path, body] = [{ scope: at.id }, asked];
    return asking(
      () => ask(api.POST("/scopes/{scope}/grants", { params: { path, query: { preview: true } }, body })),
      (answer) => {
        if ("impact" in answer) [impact, problem] = [answer.impact ?? null, null];
      },
      (caught) => (problem = caught),
      body.condition ? typing : 0,
    );
  });

  async function grant(event: Event) {
    event.preventDefault();
    if (!at) {
      problem = { type: "", title: "", status: 400, detail: "say where", next: "choose a scope of the tree", field: "where" };
      return;
    }
    busy = true;
    problem = null;
    const told = `${asked.role} granted to ${asked.principal.name} at ${at.name}.`;
    try {
      const made = await ask(api.POST("/scopes/{scope}/grants", { params: { path: { scope: at.id }, header: confirming(impact) }, body: { ...asked, description: description || undefined } }));
      if (!("grant" in made)) return;
      kept.drop();
      open = false;
      undo.offer(told, made.revision);
      ondone(made.grant.id);
    } catch (caught) {
      problem = asProblem(caught);
      impact = problem.impact ?? impact;
    } finally {
      busy = false;
    }
  }
</script>

<Modal bind:open size="xl" title="Grant a role" outsideclose>
  <form onsubmit={grant} class="space-y-5">
    <KeptNotice {kept} />
    <div class="grid grid-cols-2 items-start gap-x-8 gap-y-5 max-md:grid-cols-1">
      <div class="space-y-4">
        <fieldset>
          <legend class="label">Who</legend>
          <div class="mb-2 flex flex-wrap gap-x-5 gap-y-1">
            {#each kinds as k (k.kind)}<Radio name="kind" bind:group={kind} value={k.kind}>{k.word}</Radio>{/each}
          </div>
          <Field label="{kind === 'service-account' ? 'Address' : 'Name'} of the {example?.word.toLowerCase()}" name="name" {problem} hint="A group outlives the people in it: prefer one for lasting work.">
            {#snippet children(id)}<Choice {id} name="who" bind:value={name} options={known[kind] ?? []} placeholder={known[kind]?.[0]?.value ?? ""} />{/snippet}
          </Field>
        </fieldset>
        <Field label="At" name="where" {problem}>
          {#snippet children(id)}<Choice {id} name="where" bind:value={where} options={tree.nodes.map((n) => ({ value: n.address, hint: n.title }))} placeholder={tree.nodes[1]?.address ?? session.organisation} />{/snippet}
        </Field>
        <Field label="Role" name="role" {problem} hint={chosen ? chosen.description : at ? "What it gives is said here once chosen." : "Those that mean something at the scope."}>
          {#snippet children(id)}<Choice {id} name="role" bind:value={role} options={roleOptions(knownRoles)} placeholder="Search by purpose: view, run, edit, admin" />{/snippet}
        </Field>
        {#if onTerms}
          <TermFields bind:condition bind:from bind:until {problem} />
        {:else}
          <p><button type="button" class="link text-sm" onclick={() => (onTerms = true)}>Only for a while, or under a condition</button></p>
        {/if}
        <Field label="Why (optional)" name="description" {problem}>
          {#snippet children(id)}<TextInput {id} name="why" bind:value={description} placeholder="Shown beside the grant, for people who look later" />{/snippet}
        </Field>
      </div>
      <div class="space-y-4">
        {#if at && someone && kind !== "set"}<HeldThere {kind} name={name.trim()} at={at.address} />{/if}
        {#if at && chosen && someone}
          <div data-test="review" class="space-y-3">
            <p><strong>{kind === "user" || kind === "set" ? name : capital(kind.replace("-", " ")) + " " + name}</strong> gets <strong>{chosen.name}</strong> at <strong>{at.name}</strong>{reach}{terms(asked) ? ", " + terms(asked) : ""}.</p>
            {#if impact}
              <ImpactNote {impact}>
                {#snippet take(advice)}
                  {#if advice.role}<button type="button" class="link" data-test="take-advice" onclick={() => (role = advice.role ?? role)}>Use {advice.role}</button>
                  {:else if advice.group}<a class="link" href={href.group(advice.group)}>Open {advice.group}</a>{/if}
                {/snippet}
              </ImpactNote>
              {#if weigh(impact) === "nothing" && at.kind !== "organisation"}
                <p class="quiet text-sm" data-test="narrowing">A narrower role here does not reduce access from above. To reduce it, revoke it where it is granted, or <a class="link" href={href.newPolicy(at.address)}>write a policy here</a> with <em>may only</em> or <em>may never</em>.</p>
              {/if}
            {/if}
          </div>
        {:else}
          <p class="quiet rounded-lg border border-dashed border-gray-300 px-4 py-3 dark:border-gray-600">Once who, where and which role are chosen, what the grant would change is shown here, before anything is done.</p>
        {/if}
        {#if problem && !problem.field}<ProblemNote {problem} />{/if}
      </div>
    </div>
    <div class="dialog-foot">
      <QuietButton type="button" onclick={cancel}>Cancel</QuietButton>
      <ActButton type="submit" action="Grant" impact={impact} disabled={busy || !name || !role || !where} data-test="confirm-grant" />
    </div>
  </form>
</Modal>
