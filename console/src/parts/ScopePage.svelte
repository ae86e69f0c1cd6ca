<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { PlusOutline, SearchOutline } from "flowbite-svelte-icons";
  import { untrack } from "svelte";
  import { router } from "svelte-spa-router";
  import { asProblem, type Grant, type Problem, type Schemas, type Scope } from "../lib/api";
  import { askNoMore } from "../lib/queryparam.svelte";
  import { whenChanged } from "../lib/live.svelte";
  import { loam } from "../lib/loam.svelte";
  import { askGrants, askScope, type ScopeQueries } from "../lib/scope";
  import { tree } from "../lib/tree.svelte";
  import { count, href, moment } from "../lib/words";
  import AccountsHere from "./AccountsHere.svelte";
  import AccessTable from "./AccessTable.svelte";
  import ChangesHere from "./ChangesHere.svelte";
  import CreateScope from "./CreateScope.svelte";
  import GrantDialog, { type Prepared } from "./GrantDialog.svelte";
  import InIt from "./InIt.svelte";
  import KindIcon from "./KindIcon.svelte";
  import MatrixHere from "./MatrixHere.svelte";
  import PageProblem from "./PageProblem.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import ReshapeDialog, { type ReshapeKind } from "./ReshapeDialog.svelte";
  import PoliciesHere from "./PoliciesHere.svelte";
  import Skeleton from "./Skeleton.svelte";
  import Tabs from "./Tabs.svelte";
  import QuietButton from "./QuietButton.svelte";

  // asked is what the page shows first, which was asked for before it was made.
  let { address, asked }: { address: string; asked: ScopeQueries } = $props();

  let scope = $state.raw<Scope | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let grants = $state.raw<Grant[] | null>(null);
  let grantsProblem = $state.raw<Problem | null>(null);
  let granting = $state(false);
  let creating = $state(false);
  let reshaping = $state(false);
  let way = $state<ReshapeKind>("edit");
  let fresh = $state(""); // the id of a grant just made

  let drawn = $state(false); // what the page is for is drawn; what stands beneath it and its dialogs come after
  let contents = $state.raw<Schemas["Contents"] | null>(null);

  async function load(first?: ScopeQueries) {
    const asked = first ?? askScope(address);
    const fail = (caught: unknown) => void (problem = asProblem(caught));
    await Promise.all([
      asked.scope.then((found) => void (scope = found), fail),
      asked.contents.then((found) => void (contents = found), fail),
      loadGrants(asked.grants),
    ]);
    requestAnimationFrame(() => (drawn = true));
  }

  // A refused list of grants leaves the rest of the page as it is.
  async function loadGrants(asked: Promise<Grant[]>) {
    try {
      grants = await asked;
      grantsProblem = null;
    } catch (caught) {
      grantsProblem = asProblem(caught);
    }
  }

  $effect(() => {
    untrack(() => load(asked));
  });
  whenChanged(() => load(), () => ({ near: address }));

  const whom = ["group", "user", "guest", "outside-person", "service-account", "provider", "set"] as const;

  // Which view of the scope is open stands in the page's address too.
  const view = $derived(new URLSearchParams(router.querystring ?? "").get("view") ?? "access");
  const views = [
    { name: "access", word: "Access" },
    { name: "matrix", word: "Matrix" },
  ];

  // The address may ask for a dialog: it is opened once, and then the address asks for it no more.
  let prepared = $state.raw<Prepared>({});
  let target = $state(""); // where it was dropped in the tree
  $effect(() => {
    const asked = new URLSearchParams(router.querystring ?? "");
    // The page that is being left sees the address of the next, too: what that asks for is not for this one.
    if (!scope || (router.location !== href.scope(address).slice(1) && router.location !== "/tree")) return;
    if (asked.has("grant") && scope.may.includes("create grant")) {
      const kind = whom.find((k) => asked.has(k));
      grant({ who: kind && { kind, name: asked.get(kind) ?? "" }, role: asked.get("grant") ?? "" });
      askNoMore("grant", ...whom);
    } else if (asked.has("create") && scope.creatable.length > 0) {
      creating = true;
      askNoMore("create");
    } else if (asked.has("move") && may("move")) {
      reshape("move", asked.get("move") ?? "");
      askNoMore("move");
    } else {
      const wanted = ways.find(({ way }) => asked.has(way));
      if (!wanted) return;
      reshape(wanted.way);
      askNoMore(wanted.way);
    }
  });

  function grant(what: Prepared) {
    prepared = { at: address, ...what };
    granting = true;
  }

  function reshape(how: ReshapeKind, onto = "") {
    [way, target, reshaping] = [how, onto, true];
  }

  const beneath = $derived(scope ? tree.nodes.filter((n) => n.parent === scope?.id) : []);
  const ways = $derived.by((): { way: ReshapeKind; word: string }[] => {
    if (!scope || scope.kind === "organisation" && !may("edit")) return [];
    const all: { way: ReshapeKind; word: string; held: boolean }[] = [
      { way: "edit", word: "Edit", held: may("edit") || may("rename") || may("tag") },
      { way: "move", word: "Move", held: may("move") && scope.kind !== "organisation" },
      { way: "retire", word: "Retire", held: may("retire") && !scope.retired && scope.kind !== "organisation" },
      { way: "restore", word: "Restore", held: may("restore") && scope.retired },
    ];
    return all.filter((w) => w.held);
  });
  const may = (operation: string) => scope?.may.includes(`${operation} ${scope.type ?? scope.kind}`) ?? false;
  const word = $derived(scope ? (scope.type ?? scope.kind) : "");

  async function granted(id: string) {
    fresh = id;
    await loadGrants(askGrants(address));
  }
</script>

<svelte:head><title>{scope?.name ?? "Tree"} · Arbora</title></svelte:head>

<div class="px-7 py-6 max-sm:px-4">
  {#if problem}
    <PageProblem {problem} />
  {:else if !scope}
    <Skeleton rows={6} />
  {:else}
    <nav aria-label="Address" class="address mb-3 flex flex-wrap items-center gap-x-1.5">
      {#each scope.path as part, i (part.id)}
        {#if i > 0}<span class="quiet">/</span>{/if}
        {#if i < scope.path.length - 1}<a class="link" href={href.scope(part.address)}>{part.name}</a>{:else}<span>{part.name}</span>{/if}
      {/each}
    </nav>
    <div class="mb-6 flex flex-wrap items-start gap-4">
      <div class="flex h-12 w-12 shrink-0 items-center justify-center rounded-xl bg-primary-100 dark:bg-primary-900">
        <KindIcon kind={scope.kind} type={scope.type} class="h-6 w-6" />
      </div>
      <div class="min-w-0 flex-1 basis-64">
        <h1 class="text-2xl wrap-anywhere font-semibold tracking-tight">{scope.title || scope.name}</h1>
        <p class="quiet">
          {word}{#if scope.title}&ensp;·&ensp;<span class="address">{scope.name}</span>{/if}
          {#if scope.createdAt}&ensp;·&ensp;since {moment(scope.createdAt)}{/if}
          {#if scope.retired}&ensp;·&ensp;<strong>retired</strong>{/if}
        </p>
        {#if contents && contents.scopes > 0}
          <p class="quiet text-sm" data-test="contents">
            {count(contents.children, "item")} inside, {contents.more ? "at least " : ""}{count(contents.resources, "resource")} below
          </p>
        {/if}
        {#if scope.described}<p class="quiet address text-sm" title="Its id never changes">{scope.id}</p>{/if}
        {#if ways.length > 0}
          <p class="mt-1.5 flex gap-4">
            {#each ways as w (w.way)}<button type="button" class="link" onclick={() => reshape(w.way)}>{w.word}</button>{/each}
          </p>
        {/if}
      </div>
      <div class="ml-auto flex flex-wrap gap-2">
        <QuietButton size="sm" href={href.check({ at: scope.address })}><SearchOutline class="me-2 h-4 w-4" />Check</QuietButton>
        {#if loam.there}<QuietButton size="sm" href={href.loam(scope.address)}>In Loam</QuietButton>{/if}
        {#if scope.creatable.length > 0}
          <QuietButton size="sm" onclick={() => (creating = true)}><PlusOutline class="me-2 h-4 w-4" />Create in it</QuietButton>
        {/if}
        {#if scope.may.includes("create grant")}
          <Button size="sm" onclick={() => grant({})}><PlusOutline class="me-2 h-4 w-4" />Grant a role</Button>
        {/if}
      </div>
    </div>
    {#if !scope.described}
      <p class="card quiet mb-6 px-5 py-3">You see the name of this {word} because it leads to something you may use. To see its details you need the permission <em>describe {word}</em>.</p>
    {:else if scope.description || Object.keys(scope.tags).length > 0}
      <div class="mb-6 flex flex-wrap items-center gap-x-4 gap-y-2">
        {#if scope.description}<p>{scope.description}</p>{/if}
        {#each Object.entries(scope.tags) as [key, value] (key)}
          <span class="rounded-full border border-gray-300 px-2.5 py-0.5 text-sm dark:border-gray-600"><span class="quiet">{key}</span> {value}</span>
        {/each}
      </div>
    {/if}

    {#if scope.may.includes("list grant")}
      {@const base = href.scope(scope.address)}
      <Tabs label="Views" tabs={views.map((v) => ({ href: base + (v.name === "access" ? "" : "?view=" + v.name), word: v.word, open: view === v.name }))} />
    {/if}
    {#if view === "matrix"}
      <MatrixHere {scope} />
    {:else}
    <section aria-labelledby="access-heading" class="mb-7">
      <h2 id="access-heading" class="mb-2 text-lg font-semibold">Who has access here</h2>
      {#if grantsProblem}
        {#if scope.retired}
          <p class="card quiet px-5 py-4">Nobody has access here while it is retired. The grants are kept, and count again once it is restored.</p>
        {:else if grantsProblem.status === 403}
          <p class="card quiet px-5 py-4">To see who has access here, you need the permission <em>list grant</em>. <a class="link" href={href.check({ at: scope.address })}>Check what you may do</a> instead.</p>
        {:else}
          <ProblemNote problem={grantsProblem} />
        {/if}
      {:else if grants}
        <AccessTable {grants} {scope} {fresh} onchange={() => loadGrants(askGrants(address))} />
      {:else}
        <Skeleton />
      {/if}
    </section>

    {#if drawn}
      <PoliciesHere {scope} />
      <AccountsHere {scope} />
    {/if}

    {#if beneath.length > 0}<InIt nodes={beneath} />{/if}

    {#if drawn}<ChangesHere {scope} stale={grants} />{/if}
    {/if}

    {#if drawn}
    <ReshapeDialog bind:open={reshaping} {scope} {way} {target} ondone={() => load()} />
    <GrantDialog bind:open={granting} {prepared} ondone={granted} />
    <CreateScope bind:open={creating} parent={scope} />
    {/if}
  {/if}
</div>
