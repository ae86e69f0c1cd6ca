<!-- The tree, beside the page of the scope that is chosen in it. -->
<script lang="ts">
  import { createVirtualizer } from "@tanstack/svelte-virtual";
  import { tick, untrack } from "svelte";
  import { push } from "svelte-spa-router";
  import { SvelteSet } from "svelte/reactivity";
  import type { ScopeNode } from "../lib/api";
  import { whenChanged } from "../lib/live.svelte";
  import { tree } from "../lib/tree.svelte";
  import { href } from "../lib/words";
  import ChosenBar from "./ChosenBar.svelte";
  import KindIcon from "./KindIcon.svelte";
  import Skeleton from "./Skeleton.svelte";
  import TreeMenu from "./TreeMenu.svelte";

  let { chosen }: { chosen: string } = $props();

  const { open } = tree;
  let list = $state<HTMLDivElement>();

  whenChanged(() => tree.load(), () => ({ kinds: ["scope"] }));

  const children = $derived.by(() => {
    const byParent = new Map<string, ScopeNode[]>();
    for (const node of tree.nodes.slice(1)) {
      const siblings = byParent.get(node.parent);
      if (siblings) siblings.push(node);
      else byParent.set(node.parent, [node]);
    }
    return byParent;
  });

  const matches = $derived(tree.filter.trim().toLowerCase());
  const rows = $derived.by(() => {
    if (matches) return tree.nodes.filter((n) => n.name.includes(matches) || n.title.toLowerCase().includes(matches));
    const shown: ScopeNode[] = [];
    const walk = (node: ScopeNode) => {
      shown.push(node);
      if (!open.has(node.id)) return;
      children.get(node.id)?.forEach(walk);
      // Where a node's children were fetched in part, a row at their end stands for the rest.
      if (tree.rest.has(node.id)) shown.push({ ...node, id: node.id + " rest", depth: node.depth + 1, name: "", title: "" });
    };
    if (tree.nodes[0]) walk(tree.nodes[0]);
    return shown;
  });
  const restOf = (row: ScopeNode) => (row.id.endsWith(" rest") ? tree.nodes.find((n) => n.id === row.id.slice(0, -5)) : undefined);

  // What is open and was not fetched yet is fetched, so too after the tree was read anew.
  $effect(() => {
    for (const node of tree.nodes) if (node.more && open.has(node.id)) untrack(() => tree.addChildren(node));
  });

  // Only the rows in view are drawn, and some around them.
  const rowHeight = 30;
  const drawn = createVirtualizer<HTMLDivElement, HTMLDivElement>({
    count: 0, getScrollElement: () => list ?? null, estimateSize: () => rowHeight, overscan: 3,
    initialRect: { width: 300, height: innerHeight - 140 }, // until it was measured, so that its rows are in the first frame
  });
  $effect(() => {
    const count = rows.length;
    const scrolled = list ?? null;
    untrack(() => $drawn.setOptions({ count, getScrollElement: () => scrolled, estimateSize: () => rowHeight, overscan: 3, getItemKey: (i) => rows[i]?.id ?? i }));
  });

  // What leads to the chosen scope is opened when it is chosen, and the tree goes there; what is closed later stays closed.
  let shownFor = "";
  $effect(() => {
    if (tree.nodes.length === 0 || shownFor === chosen || !list) return;
    untrack(() => tree.show(chosen));
    const index = rows.findIndex((n) => n.address === chosen);
    if (index < 0) return; // it is still to be fetched
    shownFor = chosen;
    // Where things stand is asked once they are drawn: before, the browser would work it out twice.
    requestAnimationFrame(() => {
      if (!list) return;
      const [top, height] = [index * rowHeight, list.clientHeight];
      if (top < list.scrollTop || top + rowHeight > list.scrollTop + height) $drawn.scrollToIndex(index, { align: "center" });
    });
  });

  // What is looked for is read from its beginning.
  let lookedFor = "";
  $effect(() => {
    if (list && matches !== lookedFor) list.scrollTop = 0;
    lookedFor = matches;
  });

  // Several scopes are chosen by Ctrl and a click, a whole run of them by Shift, or each by the space bar.
  const several = new SvelteSet<string>();
  let anchor = 0;

  function press(event: MouseEvent, node: ScopeNode, index: number) {
    if (event.shiftKey) for (const row of rows.slice(Math.min(anchor, index), Math.max(anchor, index) + 1)) if (!restOf(row)) several.add(row.id);
    if (event.ctrlKey || event.metaKey) choose(node);
    if (!event.shiftKey) anchor = index;
    if (event.shiftKey || event.ctrlKey || event.metaKey) return;
    push(href.scope(node.address).slice(1));
  }

  const creating = (node: ScopeNode) => href.scope(node.address).slice(1) + "?create";

  function choose(node: ScopeNode) {
    if (!several.delete(node.id)) several.add(node.id);
  }

  // A row is dragged onto what it is to be moved into; what that does is shown before it is done.
  let dragged = $state.raw<ScopeNode | null>(null);
  let over = $state("");

  const takes = (node: ScopeNode) => dragged !== null && node.kind !== "resource" && node.id !== dragged.parent && node.id !== dragged.id && !node.address.startsWith(dragged.address + "/");

  function drop(event: DragEvent, onto: ScopeNode) {
    event.preventDefault();
    if (dragged && takes(onto)) push(href.scope(dragged.address).slice(1) + "?" + new URLSearchParams({ move: onto.address }).toString());
    dragged = null;
    over = "";
  }

  // The row that the Tab key reaches: the chosen one, or the first when it is not shown.
  const entry = $derived(rows.some((n) => n.address === chosen) ? chosen : rows[0]?.address);

  // The menu of a row opens by its button, a right click or a long touch, and by the keys that open menus; the row has the focus again.
  let menu = $state.raw<{ node: ScopeNode; index: number; at: { x: number; y: number } } | null>(null);

  function closeMenu() {
    const index = menu?.index;
    menu = null;
    if (index !== undefined) void focusRow(index);
  }

  function holds(node: ScopeNode): boolean {
    return node.more || children.has(node.id);
  }

  function toggle(node: ScopeNode) {
    if (!open.delete(node.id)) open.add(node.id);
  }

  async function focusRow(index: number) {
    $drawn.scrollToIndex(index);
    await tick();
    list?.querySelector<HTMLElement>(`[data-index="${index}"]`)?.focus();
  }

  async function onkeydown(event: KeyboardEvent, node: ScopeNode, index: number) {
    const keys: Record<string, () => void | Promise<void>> = {
      ArrowDown: () => focusRow(Math.min(index + 1, rows.length - 1)),
      ArrowUp: () => focusRow(Math.max(index - 1, 0)),
      Home: () => focusRow(0),
      End: () => focusRow(rows.length - 1),
      ArrowRight: () => (holds(node) && !open.has(node.id) ? toggle(node) : focusRow(Math.min(index + 1, rows.length - 1))),
      ArrowLeft: () => (holds(node) && open.has(node.id) ? toggle(node) : focusRow(rows.findIndex((n) => n.id === node.parent))),
      Enter: async () => {
        await push(href.scope(node.address).slice(1));
        await focusRow(index); // the page changes, the place in the tree does not
      },
      " ": () => choose(node),
      "+": () => (node.kind === "resource" ? undefined : push(creating(node))),
      m: () => {
        const { left = 0, bottom = 0 } = list?.querySelector(`[data-index="${index}"]`)?.getBoundingClientRect() ?? {};
        menu = { node, index, at: { x: left + 24, y: bottom } };
      },
      Escape: () => several.clear(),
    };
    const act = keys[event.key];
    if (!act) return;
    event.preventDefault();
    await act();
  }
</script>

<div class="flex h-full flex-col">
  <div class="p-3 pb-2">
    <input
      type="search"
      bind:value={tree.filter}
      placeholder="Find a scope by name"
      aria-label="Find a scope by name"
      onkeydown={(event) => {
        if (event.key === "Enter" && matches) push(href.search({ text: matches }).slice(1));
      }}
      class="w-full rounded-lg border border-gray-300 bg-white px-3 py-1.5 text-gray-900 placeholder:text-gray-500 dark:border-gray-600 dark:bg-gray-800 dark:text-gray-100 dark:placeholder:text-gray-400"
    />
  </div>
  {#if tree.loading && rows.length === 0}
    <div class="px-3"><Skeleton rows={10} /></div>
  {:else}
    <div bind:this={list} role="tree" aria-label="Scopes" aria-multiselectable="true" class="min-h-0 flex-1 overflow-y-auto pb-4 contain-content">
      <div class="relative" role="none" style:height="{$drawn.getTotalSize()}px">
        {#each $drawn.getVirtualItems() as item (item.key)}
          {@const node = rows[item.index]}
          {#if node}
            {@const level = matches ? 0 : node.depth}
            {@const part = restOf(node)}
            {#if part}
              <p class="absolute inset-x-0 top-0 flex h-[30px] items-center" style:transform="translateY({item.start}px)" style:padding-left="{0.5 + level * 1.1}rem" {@attach () => void untrack(() => tree.addChildren(part))}>
                <button type="button" class="link text-sm" onclick={() => tree.addChildren(part)}>more of {part.name}</button>
              </p>
            {:else}
              <div
                role="treeitem"
                tabindex={node.address === entry ? 0 : -1}
                data-index={item.index}
                aria-level={level + 1}
                aria-current={node.address === chosen ? "page" : undefined}
                aria-selected={several.has(node.id)}
                aria-expanded={holds(node) && !matches ? open.has(node.id) : undefined}
                style:transform="translateY({item.start}px)"
                style:padding-left="{0.5 + level * 1.1}rem"
                title={node.title}
                draggable={node.kind !== "organisation"}
                ondragstart={() => (dragged = node)}
                ondragend={() => ((dragged = null), (over = ""))}
                ondragover={(event) => {
                  if (!takes(node)) return;
                  event.preventDefault();
                  over = node.id;
                }}
                ondragleave={() => over === node.id && (over = "")}
                ondrop={(event) => drop(event, node)}
                data-over={over === node.id}
                onclick={(event) => press(event, node, item.index)}
                onkeydown={(event) => onkeydown(event, node, item.index)}
                oncontextmenu={(event) => {
                  event.preventDefault();
                  const { left, bottom } = event.currentTarget.getBoundingClientRect();
                  menu = { node, index: item.index, at: event.clientX ? { x: event.clientX, y: event.clientY } : { x: left + 24, y: bottom } };
                }}
                class="group absolute inset-x-0 top-0 flex h-[30px] cursor-pointer items-center gap-1.5 border-l-3 border-transparent pr-3 select-none hover:bg-gray-100 focus-visible:-outline-offset-2 aria-selected:bg-copper-100 aria-[current]:border-primary-600 data-[over=true]:bg-copper-100 data-[over=true]:dark:bg-copper-900 not-aria-selected:aria-[current]:bg-primary-50 aria-[current]:font-semibold dark:hover:bg-gray-800 dark:aria-selected:bg-copper-900 dark:aria-[current]:border-primary-400 dark:not-aria-selected:aria-[current]:bg-primary-900/70"
              >
                {#if holds(node) && !matches}
                  <button
                    type="button"
                    tabindex="-1"
                    aria-label={open.has(node.id) ? "Close " + node.name : "Open " + node.name}
                    class="rounded p-0.5 text-gray-500 hover:text-gray-900 dark:text-gray-400 dark:hover:text-gray-50"
                    onclick={(event) => {
                      event.stopPropagation();
                      toggle(node);
                    }}
                  >
                    <svg viewBox="0 0 12 12" fill="none" stroke="currentColor" stroke-width="1.6" stroke-linecap="round" stroke-linejoin="round" class="h-3 w-3 transition-transform {open.has(node.id) ? 'rotate-90' : ''}" aria-hidden="true"><path d="M4 2l4 4-4 4" /></svg>
                  </button>
                {:else}
                  <span class="w-4 shrink-0"></span>
                {/if}
                <KindIcon kind={node.kind} type={node.type} />
                <span class="truncate {node.retired ? 'line-through opacity-60' : ''}">{node.name}</span>
                {#if matches}<span class="quiet ml-auto truncate pl-2 text-sm" title={node.address}>{node.address.slice(0, node.address.lastIndexOf("/"))}</span>
                {:else}
                  <button
                    type="button"
                    tabindex="-1"
                    aria-label="What to do with {node.name}"
                    aria-haspopup="menu"
                    class="ml-auto rounded px-1.5 text-lg leading-none text-gray-500 opacity-0 group-hover:opacity-100 group-focus:opacity-100 hover:bg-gray-200 hover:text-gray-900 pointer-coarse:opacity-100 dark:text-gray-400 dark:hover:bg-gray-700 dark:hover:text-gray-50"
                    onclick={(event) => {
                      event.stopPropagation();
                      const { left, bottom } = event.currentTarget.getBoundingClientRect();
                      menu = { node, index: item.index, at: { x: left, y: bottom } };
                    }}>⋯</button
                  >
                {/if}
              </div>
            {/if}
          {/if}
        {/each}
      </div>
      {#if rows.length === 0}
        <p class="quiet px-4">{matches ? "Nothing of that name among what is open." : "Nothing to see yet."}</p>
      {/if}
      {#if matches}<p class="px-4 pt-2"><a class="link" href={href.search({ text: matches })}>Search the whole tree for “{matches}”</a></p>{/if}
    </div>
  {/if}
  {#if menu}{@const { node, at } = menu}<TreeMenu {node} {at} chosen={several.has(node.id)} onchoose={() => choose(node)} onclose={closeMenu} />{/if}
  <ChosenBar {several} />
  <p class="border-t border-gray-200 px-4 py-2 text-sm dark:border-gray-700"><a class="link" href="#/spread">Access map</a></p>
</div>
