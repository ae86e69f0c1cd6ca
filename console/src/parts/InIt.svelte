<!-- What is directly in a scope: found by a part of its name, and ordered by a column. -->
<script lang="ts">
  import type { ScopeNode } from "../lib/api";
  import { href, of } from "../lib/words";
  import KindIcon from "./KindIcon.svelte";
  import TextInput from "./TextInput.svelte";

  let { nodes }: { nodes: ScopeNode[] } = $props();

  const columns = [
    { word: "Name", of: (n: ScopeNode) => n.name },
    { word: "Kind", of: (n: ScopeNode) => n.type ?? n.kind },
    { word: "Title", of: (n: ScopeNode) => n.title.toLowerCase() },
  ];
  const many = 10; // from so many on a field to find one in helps
  let find = $state("");
  let sort = $state(0);
  let down = $state(false);

  const shown = $derived.by(() => {
    const text = find.trim().toLowerCase();
    const list = nodes.filter((n) => n.name.includes(text) || n.title.toLowerCase().includes(text));
    const by = columns[sort]!.of;
    return list.sort((a, b) => (by(a) < by(b) ? -1 : by(a) > by(b) ? 1 : 0) * (down ? -1 : 1));
  });

  function order(column: number) {
    down = sort === column && !down;
    sort = column;
  }
</script>

<section aria-labelledby="beneath-heading" class="mb-7" data-test="in-it">
  <div class="mb-2 flex flex-wrap items-center gap-3">
    <h2 id="beneath-heading" class="text-lg font-semibold">In it</h2>
    {#if nodes.length > many}
      <TextInput type="search" bind:value={find} placeholder="Find by name or title" aria-label="Find in it by name or title" class="ml-auto w-64" />
      <span class="quiet text-sm" role="status">{of(shown.length, nodes.length, "item")}</span>
    {/if}
  </div>
  <div class="card overflow-x-auto">
    <table class="rows">
      <thead>
        <tr>
          {#each columns as column, i (column.word)}
            <th aria-sort={sort !== i ? undefined : down ? "descending" : "ascending"}>
              <button type="button" class="hover:underline" onclick={() => order(i)}>{column.word}</button>
            </th>
          {/each}
        </tr>
      </thead>
      <tbody>
        {#each shown as node (node.id)}
          <tr>
            <td><a class="flex items-center gap-3 font-semibold hover:underline {node.retired ? 'line-through opacity-60' : ''}" href={href.scope(node.address)}><KindIcon kind={node.kind} type={node.type} class="h-5 w-5" />{node.name}</a></td>
            <td class="quiet">{node.type ?? node.kind}</td>
            <td>{node.title}</td>
          </tr>
        {:else}
          <tr><td colspan="3" class="quiet">Nothing in it has such a name.</td></tr>
        {/each}
      </tbody>
    </table>
  </div>
</section>
