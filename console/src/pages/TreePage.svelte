<script lang="ts">
  import { whenChanged } from "../lib/live.svelte";
  import { askScope } from "../lib/scope";
  import { session } from "../lib/session.svelte";
  import { tree } from "../lib/tree.svelte";
  import ScopePage from "../parts/ScopePage.svelte";
  import TreePanel from "../parts/TreePanel.svelte";
  import NothingYet from "../parts/NothingYet.svelte";

  let { params }: { params?: { wild?: string | null } } = $props();

  const address = $derived(params?.wild ? params.wild.split("/").map(decodeURIComponent).join("/") : session.organisation);
  // The scope's page is asked for before the tree beside it is drawn.
  const asked = $derived(askScope(address));
  $effect.pre(() => void asked);

  // Whoever held nothing may hold something by now.
  whenChanged(() => {
    if (tree.problem) void tree.load();
  });
</script>

{#if tree.problem?.status === 403}
  <NothingYet />
{:else}
  <div class="grid h-full grid-cols-[19rem_minmax(0,1fr)] max-md:h-auto max-md:grid-cols-1">
    <aside class="min-h-0 border-r border-gray-200 bg-white max-md:max-h-72 max-md:border-b dark:border-gray-700 dark:bg-gray-900">
      <TreePanel chosen={address} />
    </aside>
    <main class="min-h-0 overflow-y-auto">
      {#key address}<ScopePage {address} {asked} />{/key}
    </main>
  </div>
{/if}
