<!-- May somebody do something somewhere? The answer, and the way through the tree that leads to it. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { CheckCircleOutline, CloseCircleOutline } from "flowbite-svelte-icons";
  import { replace, router } from "svelte-spa-router";
  import { untrack } from "svelte";
  import { api, ask, asProblem, type Answer, type Problem, type Scope } from "../lib/api";
  import { catalogueOf } from "../lib/catalogue";
  import { groups, guests, outsidePeople, providers, users, serviceAccounts } from "../lib/directory";
  import { authority } from "../lib/authority.svelte";
  import { whenChanged } from "../lib/live.svelte";
  import { session } from "../lib/session.svelte";
  import { tree } from "../lib/tree.svelte";
  import { viewing } from "../lib/viewing.svelte";
  import { href } from "../lib/words";
  import Choice from "../parts/Choice.svelte";
  import Field from "../parts/Field.svelte";
  import Holders from "../parts/Holders.svelte";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import TextInput from "../parts/TextInput.svelte";
  import DecisionPath from "../parts/DecisionPath.svelte";

  const kinds = { user: "User", guest: "Guest", "outside-person": "Outside person", group: "Group", "service-account": "Service account", provider: "Identity provider", service: "Platform service", set: "Built-in set" };
  type Kind = keyof typeof kinds;
  const isKind = (word: string): word is Kind => word in kinds;

  // Whoever asks asks of themselves first: a guest goes by the whole name they sign in by.
  // An outside person goes by the name of their provider.
  const own = session.me?.kind ?? "";
  const called = session.me?.name ?? "";
  const self = own === "guest" ? called : called.slice(0, Math.max(0, called.lastIndexOf("@"))) || called;
  let kind = $state<Kind>(own === "guest" || own === "outside-person" ? own : "user");
  let name = $state(self);
  let permission = $state("");
  let at = $state(session.organisation);
  let claims = $state(""); // what if their provider said this of them; "" for what it said last
  const claimed = $derived(kind === "outside-person" || kind === "provider");
  type Question = { kind: Kind; name: string; permission: string; at: string; claims: string };
  let put = $state.raw<Question | null>(null); // the question that was put last
  let problem = $state.raw<Problem | null>(null);
  let answer = $state.raw<Answer | null>(null);
  let scope = $state.raw<Scope | null>(null);
  let busy = $state(false);
  let known = $state.raw<Record<Kind | "permissions", { value: string; hint?: string }[]>>({ user: [], guest: [], "outside-person": [], group: [], "service-account": [], provider: [], service: [], set: [], permissions: [] });

  // The question is in the page's address, so that it can be sent to a colleague.
  $effect.pre(() => {
    const asked = new URLSearchParams(router.querystring ?? "");
    untrack(() => {
      at = asked.get("at") ?? at;
      permission = asked.get("may") ?? permission;
      claims = asked.get("claims") ?? "";
      for (const [each, value] of asked) {
        if (isKind(each)) [kind, name] = [each, value];
      }
      if (at && permission && name) void find({ kind, name, permission, at, claims });
    });
  });

  // An answer is what holds by now.
  whenChanged(() => {
    if (put) find(put);
  });

  // Names to choose from are for whoever puts a question: there may be thousands.
  $effect(() => {
    if (!untrack(() => put)) requestAnimationFrame(prepare);
  });

  // Each list helps where the person may see it; the question can be asked without.
  let prepared = false;
  async function prepare() {
    if (prepared) return;
    prepared = true;
    if (tree.nodes.length === 0) tree.load();
    const [u, g, o, a, c, b, p] = await Promise.allSettled([
      users(session.organisation),
      groups(session.organisation),
      guests(session.organisation),
      serviceAccounts(session.organisation),
      catalogueOf(session.organisation),
      outsidePeople(session.organisation),
      providers(session.organisation),
    ]);
    known = {
      user: u.status === "fulfilled" ? u.value.map((x) => ({ value: x.name, hint: x.title })) : [],
      group: g.status === "fulfilled" ? g.value.map((x) => ({ value: x.name, hint: x.title })) : [],
      guest: o.status === "fulfilled" ? o.value.map((x) => ({ value: x.name, hint: x.title })) : [],
      "outside-person": b.status === "fulfilled" ? b.value.map((x) => ({ value: x.name, hint: x.title })) : [],
      "service-account": a.status === "fulfilled" ? a.value.map((x) => ({ value: x.address, hint: x.title })) : [],
      provider: p.status === "fulfilled" ? p.value.map((x) => ({ value: x.name, hint: x.title })) : [],
      set: [
        { value: "staff", hint: "the organisation's own active users" },
        { value: "guests", hint: "its guests" },
        { value: "everyone", hint: "all whom it knows" },
        { value: "signed-in", hint: "anybody with a session" },
        { value: "public", hint: "anybody at all" },
      ],
      service: c.status === "fulfilled" ? c.value.services.map((s) => ({ value: s.name, hint: s.title })) : [],
      permissions:
        c.status === "fulfilled"
          ? c.value.services.flatMap((s) => s.types.flatMap((t) => t.operations.map((o) => ({ value: `${o.operation} ${o.type}`, hint: `${o.class}, ${o.plane} plane` }))))
          : [],
    };
  }

  function submit(event: Event) {
    event.preventDefault();
    const question = { kind, name: name.trim(), permission: permission.trim(), at: at.trim(), claims: claimed ? claims.trim() : "" };
    const asked = href.check({ [kind]: question.name, may: question.permission, at: question.at, ...(question.claims ? { claims: question.claims } : {}) }).slice(1);
    if (asked === "/check?" + router.querystring) find(question);
    else replace(asked);
  }

  // claimsIn reads NAME=VALUE, separated by commas; a claim may be named more than once.
  function claimsIn(text: string): Record<string, string[]> {
    const read: Record<string, string[]> = {};
    for (const part of text.split(",").map((p) => p.trim()).filter(Boolean)) {
      const [name, value] = [part.slice(0, part.lastIndexOf("=")), part.slice(part.lastIndexOf("=") + 1)];
      if (!part.includes("=") || !name.trim()) throw { title: "", status: 400, type: "", detail: `"${part}" is not a claim`, next: "write it as NAME=VALUE", field: "claims" } satisfies Problem;
      (read[name.trim()] ??= []).push(value.trim());
    }
    return read;
  }

  async function find(question: Question) {
    put = question;
    busy = true;
    problem = null;
    const { kind, name, permission } = question;
    const path = { params: { path: { scope: question.at } } };
    try {
      const context = question.claims ? { claims: claimsIn(question.claims) } : undefined;
      const asked = ask(api.POST("/scopes/{scope}/check", { ...path, body: { principal: { kind, name }, permission, context } }));
      const place = ask(api.GET("/scopes/{scope}", path)).catch(() => null); // of an address in a resource's contents, the resource is
      answer = await asked;
      scope = (await place) ?? (await ask(api.GET("/scopes/{scope}", { params: { path: { scope: answer.scope.id } } })));
    } catch (caught) {
      answer = null;
      problem = asProblem(caught);
    } finally {
      busy = false;
    }
  }
</script>

<Page title="Check" lead="May somebody do this here? The answer, and what decides it.">
  <form onsubmit={submit} onfocusin={prepare} class="card mb-6 grid grid-cols-[11rem_minmax(0,1fr)_minmax(0,1fr)_minmax(0,2.6fr)_auto] items-start gap-4 p-5 max-lg:grid-cols-2 max-sm:grid-cols-1">
    <Field label="Who" name="kind" {problem}>
      {#snippet children(id)}
        <select {id} bind:value={kind} class="w-full field">
          {#each Object.entries(kinds) as [value, word] (value)}<option {value}>{word}</option>{/each}
        </select>
      {/snippet}
    </Field>
    <Field label="Name" name="name" {problem}>
      {#snippet children(id)}<Choice {id} name="check-who" bind:value={name} options={known[kind]} />{/snippet}
    </Field>
    <Field label="May do" name="permission" {problem}>
      {#snippet children(id)}<Choice {id} name="check-permission" bind:value={permission} options={known.permissions} placeholder="describe project" />{/snippet}
    </Field>
    <Field label="At" name="scope" {problem}>
      {#snippet children(id)}<Choice {id} name="check-at" bind:value={at} options={tree.nodes.map((n) => ({ value: n.address, hint: n.title }))} />{/snippet}
    </Field>
    {#if claimed}
      <div class="order-last col-span-full">
        <Field label="What if the provider said (optional)" name="claims" {problem} hint="NAME=VALUE, separated by commas. Empty asks by what it said last.">
          {#snippet children(id)}<TextInput {id} name="check-claims" bind:value={claims} placeholder="department=seeds" />{/snippet}
        </Field>
      </div>
    {/if}
    <div class="pt-6.5"><Button type="submit" disabled={busy || !name || !permission || !at} data-test="ask">Check</Button></div>
  </form>

  {#if problem && !["name", "permission", "kind", "claims"].includes(problem.field ?? "")}
    <ProblemNote {problem} />
  {:else if answer && scope}
    <div
      role="status"
      data-test="answer"
      class="mb-6 flex items-start gap-4 rounded-xl border-l-6 px-5 py-4 {answer.allowed ? 'border-primary-600 bg-primary-100 dark:bg-primary-900' : 'border-copper-600 bg-copper-100 dark:bg-copper-900'}"
    >
      {#if answer.allowed}
        <CheckCircleOutline class="h-8 w-8 shrink-0 text-primary-700 dark:text-primary-200" />
      {:else}
        <CloseCircleOutline class="h-8 w-8 shrink-0 text-copper-700 dark:text-copper-200" />
      {/if}
      <div>
        <p class="text-xl font-semibold">{answer.allowed ? "Yes" : "No"}</p>
        <p class="mt-0.5">{answer.words.replace(/^(Yes|No), /, "")}</p>
        <p class="mt-1 text-sm opacity-80">Decided at revision {answer.revision}.</p>
      </div>
    </div>
    <DecisionPath {answer} path={scope.path} />
    {#if href.principal(answer.principal)}
      <p class="mt-3 flex flex-wrap gap-x-6 text-sm">
        <a class="link" href={href.principal(answer.principal)}>All that {answer.principal.name.slice(answer.principal.name.lastIndexOf("/") + 1)} holds and reaches</a>
        {#if answer.principal.kind === "user" && authority.may("view-as user") && !viewing.as}<button type="button" class="link" onclick={() => viewing.start("user", answer?.principal.name ?? "")}>Look as {answer.principal.name}</button>{/if}
      </p>
    {/if}
    <Holders permission={answer.permission} at={answer.scope.id} />
  {/if}
</Page>
