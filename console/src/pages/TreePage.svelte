<script lang="ts">
  import { BarsOutline } from "flowbite-svelte-icons";
  import { whenChanged } from "../lib/live.svelte";
  import { askScope } from "../lib/scope";
  import { session } from "../lib/session.svelte";
  import { tree } from "../lib/tree.svelte";
  import ScopePage from "../parts/ScopePage.svelte";
  import TreePanel from "../parts/TreePanel.svelte";
  import NothingYet from "../parts/NothingYet.svelte";

  let { params }: { params?: { wild?: string | null } } = $props();

  const address = $derived(params?.wild ? params.wild.split("/").map(decodeURIComponent).join("/") : session.organisation);
  // The scope's page is asked for, and drawn, before the tree beside it; one that keeps people waiting does not keep the tree back.
  const asked = $derived(askScope(address));
  const patience = 150; // milliseconds
  let settled = $state(false);
  $effect.pre(() => {
    void Promise.race([Promise.allSettled(Object.values(asked)), new Promise((passed) => setTimeout(passed, patience))]).then(() => requestAnimationFrame(() => (settled = true)));
  });
  if (tree.nodes.length === 0) void tree.load();

  let open = $state(false); // the tree, where it is a drawer
  let opener = $state<HTMLElement>();
  $effect(() => {
    void address;
    open = false;
  });
  function close() {
    open = false;
    opener?.focus();
  }

  // Whoever held nothing may hold something by now.
  whenChanged(() => {
    if (tree.problem) void tree.load();
  });
</script>

<svelte:window onkeydown={(event) => open && event.key === "Escape" && close()} />
{#if tree.problem?.status === 403}
  <NothingYet />
{:else}
  <!-- On a phone the tree is a drawer, so that the scope's page has the room. -->
  <div class="sticky top-0 z-20 hidden border-b border-gray-200 bg-white px-4 py-2 max-md:block dark:border-gray-700 dark:bg-gray-900">
    <button type="button" bind:this={opener} class="flex w-full items-center gap-2" aria-expanded={open} aria-controls="tree-drawer" onclick={() => (open = true)} data-test="open-tree">
      <BarsOutline class="h-5 w-5 shrink-0" /><span class="font-semibold">Tree</span><span class="quiet address truncate">{address}</span>
    </button>
  </div>
  {#if open}<button type="button" class="fixed inset-0 z-30 hidden bg-black/50 max-md:block" aria-label="Close the tree" onclick={close}></button>{/if}
  <div class="grid h-full grid-cols-[19rem_minmax(0,1fr)] max-md:h-auto max-md:grid-cols-1">
    <aside id="tree-drawer" class="min-h-0 border-r border-gray-200 bg-white max-md:fixed max-md:inset-y-0 max-md:left-0 max-md:z-40 max-md:w-[min(22rem,88vw)] {open ? '' : 'max-md:hidden'} dark:border-gray-700 dark:bg-gray-900">
      {#if settled}<TreePanel chosen={address} />{/if}
    </aside>
    <main class="min-h-0 overflow-y-auto">
      {#key address}<ScopePage {address} {asked} />{/key}
    </main>
  </div>
{/if}
