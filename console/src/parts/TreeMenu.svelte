<!-- What may be done with a scope of the tree, where its row is. It offers only what is allowed there. -->
<script lang="ts">
  import { push } from "svelte-spa-router";
  import { api, ask, asProblem, type Problem, type Scope, type ScopeNode } from "../lib/api";
  import { loam } from "../lib/loam.svelte";
  import { href } from "../lib/words";

  let { node, at, chosen, onchoose, onclose }: { node: ScopeNode; at: { x: number; y: number }; chosen: boolean; onchoose: () => void; onclose: () => void } = $props();

  let menu = $state<HTMLElement>();
  let scope = $state.raw<Scope | null>(null);
  let problem = $state.raw<Problem | null>(null);

  $effect(() => {
    ask(api.GET("/scopes/{scope}", { params: { path: { scope: node.id } } })).then(
      (found) => (scope = found),
      (caught) => (problem = asProblem(caught)),
    );
  });

  const type = $derived(node.type ?? node.kind);
  const may = (operation: string) => scope?.may.includes(`${operation} ${type}`) ?? false;
  const page = $derived(href.scope(node.address).slice(1));
  const entries = $derived.by((): { word: string; to: string }[] => {
    if (!scope) return [];
    const movable = node.kind !== "organisation";
    const all = [
      { word: "Grant a role", to: page + "?grant", held: scope.may.includes("create grant") },
      { word: "Create in it", to: page + "?create", held: scope.creatable.length > 0 },
      { word: "Edit", to: page + "?edit", held: may("edit") || may("rename") || may("tag") },
      { word: "Move", to: page + "?move", held: movable && may("move") },
      { word: "Retire", to: page + "?retire", held: movable && !scope.retired && may("retire") },
      { word: "Restore", to: page + "?restore", held: Boolean(scope.retired) && may("restore") },
      { word: "Check access here", to: href.check({ at: node.address }).slice(1), held: true },
      { word: "Show in Loam", to: href.loam(node.address).slice(1), held: loam.there },
    ];
    return all.filter((entry) => entry.held);
  });

  // It opens with the first entry in focus, within the window.
  $effect(() => {
    if (!menu) return;
    void entries;
    if (!menu.matches(":popover-open")) menu.showPopover();
    const { width, height } = menu.getBoundingClientRect();
    menu.style.left = `${Math.max(8, Math.min(at.x, innerWidth - width - 8))}px`;
    menu.style.top = `${Math.max(8, Math.min(at.y, innerHeight - height - 8))}px`;
    (menu.querySelector<HTMLElement>("[role=menuitem]") ?? menu).focus();
  });

  function take(to: string) {
    onclose();
    push(to);
  }

  function onkeydown(event: KeyboardEvent) {
    const items = [...(menu?.querySelectorAll<HTMLElement>("[role=menuitem]") ?? [])];
    const now = items.indexOf(document.activeElement as HTMLElement);
    const to = { ArrowDown: now + 1, ArrowUp: now - 1, Home: 0, End: items.length - 1 }[event.key];
    if (to !== undefined) items[(to + items.length) % items.length]?.focus();
    else if (event.key === "Escape" || event.key === "Tab") onclose();
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<div
  bind:this={menu}
  popover="auto"
  role="menu"
  tabindex="-1"
  aria-label="What to do with {node.name}"
  data-test="tree-menu"
  {onkeydown}
  ontoggle={(event) => event.newState === "closed" && onclose()}
  class="fixed inset-auto m-0 min-w-48 rounded-lg border border-gray-300 bg-white py-1 text-gray-900 shadow-lg dark:border-gray-600 dark:bg-gray-800 dark:text-gray-100"
>
  <p class="quiet border-b border-gray-200 px-4 pt-1 pb-2 text-sm dark:border-gray-700">{node.name}</p>
  {#each entries as entry (entry.word)}
    <button type="button" role="menuitem" tabindex="-1" class="block w-full px-4 py-1.5 text-start hover:bg-gray-100 focus:bg-primary-100 focus:outline-none dark:hover:bg-gray-700 dark:focus:bg-primary-900" onclick={() => take(entry.to)}>{entry.word}</button>
  {:else}
    <p class="quiet px-4 py-2 text-sm">{problem ? problem.detail : "Asking what you may do …"}</p>
  {/each}
  {#if scope}
    <button type="button" role="menuitem" tabindex="-1" class="block w-full px-4 py-1.5 text-start hover:bg-gray-100 focus:bg-primary-100 focus:outline-none dark:hover:bg-gray-700 dark:focus:bg-primary-900" onclick={() => (onchoose(), onclose())}>{chosen ? "Clear from the selection" : "Select, to act on several"}</button>
  {/if}
</div>
