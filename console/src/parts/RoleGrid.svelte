<!-- Operations as a grid: resource types down, classes across. Held against other operations, each tells on which side it is. -->
<script lang="ts">
  import type { Schemas } from "../lib/api";
  import { classes } from "../lib/matrix";
  import { capital } from "../lib/words";

  type Operation = Schemas["Operation"];
  type Cell = { operation: string; mark: "" | "first" | "second" };
  let { operations, against, label = "Permissions", services = true }: { operations: Operation[]; against?: Operation[]; label?: string; services?: boolean } = $props();

  const name = (o: Operation) => `${o.operation} ${o.type}`;
  const rows = $derived.by(() => {
    const here = new Set(operations.map(name));
    const there = new Set(against?.map(name) ?? []);
    const byKey = new Map<string, { service: string; type: string; plane: string; cells: Record<string, Cell[]> }>();
    const all = [...operations, ...(against ?? []).filter((o) => !here.has(name(o)))];
    for (const o of against ? all.sort((a, b) => a.service.localeCompare(b.service) || a.type.localeCompare(b.type)) : all) {
      const key = o.type + "/" + o.plane;
      const row = byKey.get(key) ?? { service: o.service, type: o.type, plane: o.plane, cells: {} };
      (row.cells[o.class] ??= []).push({ operation: o.operation, mark: !against || (here.has(name(o)) && there.has(name(o))) ? "" : here.has(name(o)) ? "first" : "second" });
      byKey.set(key, row);
    }
    return [...byKey.values()];
  });
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex: what scrolls must be reached by keyboard -->
<div class="card overflow-x-auto" role="region" aria-label={label} tabindex="0" data-test="grid">
  <table class="rows keeps min-w-[50rem] table-fixed">
    <thead>
      <tr>{#if services}<th class="w-[9%]">Service</th>{/if}<th class="w-[12%]">Type</th><th class="w-[8%]">Plane</th>{#each classes as c (c)}<th class={c === "govern" ? "text-copper-700! dark:text-copper-300!" : ""}>{capital(c)}</th>{/each}</tr>
    </thead>
    <tbody>
      {#each rows as row, i (row.type + row.plane)}
        <tr>
          {#if services}<td class="quiet">{rows[i - 1]?.service === row.service ? "" : row.service}</td>{/if}
          <td class="font-semibold">{row.type}</td>
          <td class={row.plane === "data" ? "font-semibold" : "quiet"}>{row.plane}</td>
          {#each classes as c (c)}
            <td class={c === "govern" ? "text-copper-700 dark:text-copper-300" : ""}>
              {#each row.cells[c] ?? [] as cell, n (cell.operation)}{n > 0 && !against ? ", " : " "}{#if cell.mark}<span class="mr-1 inline-block rounded px-1 {cell.mark === 'first' ? 'bg-primary-200 text-primary-900 dark:bg-primary-800 dark:text-primary-50' : 'bg-copper-200 text-copper-900 dark:bg-copper-700 dark:text-copper-100'}"><span class="font-semibold">{cell.mark === "first" ? "1" : "2"}</span>{" "}{cell.operation}</span>{:else}<span class={against ? "mr-1.5 inline-block" : ""}>{cell.operation}</span>{/if}{/each}
            </td>
          {/each}
        </tr>
      {:else}
        <tr><td colspan="8" class="quiet">No permission at all.</td></tr>
      {/each}
    </tbody>
  </table>
</div>
