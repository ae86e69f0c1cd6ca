<!-- What can be done to several scopes of the tree at once, each after its impact was shown. -->
<script lang="ts">
  import type { SvelteSet } from "svelte/reactivity";
  import { tree } from "../lib/tree.svelte";
  import { count } from "../lib/words";
  import ReshapeMany, { type ReshapeKind } from "./ReshapeMany.svelte";

  let { several }: { several: SvelteSet<string> } = $props();

  let open = $state(false);
  let way = $state<ReshapeKind>("move");

  const scopes = $derived(tree.nodes.filter((n) => several.has(n.id)));
  const ways: { way: ReshapeKind; word: string }[] = [
    { way: "move", word: "Move" },
    { way: "tag", word: "Tag" },
    { way: "retire", word: "Retire" },
    { way: "restore", word: "Restore" },
  ];
</script>

{#if scopes.length > 0}
  <div class="border-t border-gray-200 px-4 py-2 dark:border-gray-700" data-test="several">
    <p class="flex items-baseline text-sm font-semibold">{count(scopes.length, "scope")} chosen <button type="button" class="link ml-auto font-normal" onclick={() => several.clear()}>Clear selection</button></p>
    <div class="mt-1 flex flex-wrap gap-x-4">
      {#each ways as w (w.way)}<button type="button" class="link text-sm" onclick={() => ((way = w.way), (open = true))}>{w.word} them</button>{/each}
    </div>
  </div>
{/if}
<ReshapeMany bind:open {scopes} {way} ondone={() => several.clear()} />
