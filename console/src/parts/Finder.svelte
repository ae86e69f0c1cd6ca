<!-- One box that finds scopes, people, groups, roles and policies; it opens by the stroke key. -->
<script lang="ts">
  import { Modal } from "flowbite-svelte";
  import { push } from "svelte-spa-router";
  import { tick } from "svelte";
  import { api, ask, asProblem, type Problem } from "../lib/api";
  import { asking, typing } from "../lib/asking";
  import { session } from "../lib/session.svelte";
  import { href } from "../lib/words";
  import ProblemNote from "./ProblemNote.svelte";
  import TextInput from "./TextInput.svelte";

  let { open = $bindable(false) }: { open?: boolean } = $props();

  type Found = { what: string; name: string; hint: string; to: string };

  let text = $state("");
  let found = $state.raw<Found[]>([]);
  let at = $state(0);
  let list = $state<HTMLElement>();
  let problem = $state.raw<Problem | null>(null);
  const few = 6;

  $effect(() => {
    if (!open) return;
    text = "";
    tick().then(() => document.querySelector<HTMLInputElement>("#finder")?.focus());
  });

  const path = $derived({ organisation: session.organisation });

  // Each sort is asked for by itself: what somebody may not list is not found, and the rest is.
  function refusedNothing(caught: unknown): Found[] {
    const { status } = asProblem(caught);
    if (status === 403 || status === 404) return [];
    throw caught;
  }

  const sorts: ((q: string) => Promise<Found[]>)[] = [
    async (q) => {
      const page = await ask(api.GET("/organisations/{organisation}/search", { params: { path, query: { text: q, limit: few } } }));
      return page.scopes.map((n) => ({ what: n.type ?? n.kind, name: n.name, hint: n.address, to: href.scope(n.address) }));
    },
    async (q) => {
      const page = await ask(api.GET("/organisations/{organisation}/people", { params: { path, query: { find: q, limit: few } } }));
      return page.people.map((p) => ({ what: p.kind, name: p.name, hint: p.title, to: href.principal(p) }));
    },
    async (q) => {
      const page = await ask(api.GET("/organisations/{organisation}/groups", { params: { path, query: { find: q, limit: few } } }));
      return page.groups.map((g) => ({ what: "group", name: g.name, hint: g.title, to: href.group(g.name) }));
    },
    async (q) => {
      const page = await ask(api.GET("/scopes/{scope}/roles", { params: { path: { scope: session.organisation }, query: { find: q, all: true, limit: few } } }));
      return page.roles.map((r) => ({ what: "role", name: r.name, hint: r.title, to: href.role(r.name) }));
    },
    async (q) => {
      const page = await ask(api.GET("/organisations/{organisation}/statements", { params: { path, query: { find: q, limit: few } } }));
      return page.statements.map((s) => ({ what: "policy", name: s.policy.name, hint: s.text, to: href.policy(s.policy.id) }));
    },
  ];

  $effect(() => {
    const q = text.trim().toLowerCase();
    at = 0;
    if (!q) {
      found = [];
      return;
    }
    return asking(
      () => Promise.all(sorts.map((sort) => sort(q).catch(refusedNothing))),
      (all) => ([found, problem] = [all.flat(), null]),
      (caught) => (problem = caught),
      typing / 2,
    );
  });

  function go(to: string) {
    open = false;
    push(to.slice(1));
  }

  function onkeydown(event: KeyboardEvent) {
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (step && found.length > 0) {
      event.preventDefault();
      at = (at + step + found.length) % found.length;
      list?.children[at]?.scrollIntoView({ block: "nearest" });
    } else if (event.key === "Enter") {
      event.preventDefault();
      const chosen = found[at];
      if (chosen) go(chosen.to);
    }
  }
</script>

<Modal bind:open size="md" title="Find anything" outsideclose>
  <label class="sr-only" for="finder">A scope, a person, a group, a role or a policy</label>
  <TextInput id="finder" type="search" name="find" bind:value={text} placeholder="A scope, a person, a group, a role or a policy" role="combobox" aria-expanded={found.length > 0} aria-controls="found-list" aria-activedescendant={found[at] ? "found-" + at : undefined} autocomplete="off" {onkeydown} />
  {#if found.length > 0}
    <ul bind:this={list} id="found-list" role="listbox" aria-label="Found" class="max-h-96 overflow-y-auto" data-test="finder">
      {#each found as f, i (f.what + f.to + f.hint)}
        <li id="found-{i}" role="option" aria-selected={i === at}>
          <a href={f.to} tabindex="-1" onclick={() => (open = false)} class="flex items-baseline gap-3 rounded-lg px-3 py-1.5 text-gray-900 dark:text-gray-100 {i === at ? 'bg-primary-50 dark:bg-primary-900/70' : 'hover:bg-gray-50 dark:hover:bg-gray-800'}">
            <span class="quiet w-20 shrink-0 text-sm">{f.what}</span>
            <span class="shrink-0 font-semibold">{f.name}</span>
            <span class="quiet min-w-0 truncate text-sm">{f.hint}</span>
          </a>
        </li>
      {/each}
    </ul>
  {:else if problem}
    <ProblemNote {problem} />
  {:else}
    <p class="quiet">{text.trim() ? "Nothing found that you may see." : "Names that begin with what you write. Arrow keys choose, Enter opens."}</p>
  {/if}
</Modal>
