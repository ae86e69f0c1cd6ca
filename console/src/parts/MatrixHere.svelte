<!-- The access matrix of a scope: who holds what, by class of act and plane. -->
<script lang="ts">
  import { api, ask, asProblem, type Problem, type Schemas, type Scope } from "../lib/api";
  import { asking, typing } from "../lib/asking";
  import { QueryParam } from "../lib/queryparam.svelte";
  import { csv, save } from "../lib/download";
  import { classes, inWords, rowsAsCSV, tallies } from "../lib/matrix";
  import { href } from "../lib/words";
  import MatrixGlyph from "./MatrixGlyph.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import QuietButton from "./QuietButton.svelte";
  import Skeleton from "./Skeleton.svelte";
  import Term from "./Term.svelte";
  import TextInput from "./TextInput.svelte";
  import Who from "./Who.svelte";

  let { scope }: { scope: Scope } = $props();

  const asked = { against: new QueryParam("against", "types"), rows: new QueryParam("rows", "people"), find: new QueryParam("find") };
  const against = $derived(asked.against.value === "children" ? "children" : "types");
  const rows = $derived(asked.rows.value === "groups" ? "groups" : "people");
  let matrix = $state.raw<Schemas["Matrix"] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let open = $state.raw({ who: "", column: "" }); // the cell that is told in full

  const whoOf = (row: Schemas["MatrixRow"]) => row.principal.kind + row.principal.name;
  const chosen = $derived.by(() => {
    const row = matrix?.rows.find((r) => whoOf(r) === open.who);
    const i = matrix?.columns.findIndex((c) => c.name === open.column) ?? -1;
    const column = matrix?.columns[i];
    return row && column ? { row, column, cell: row.cells[i] ?? "" } : null;
  });

  const read = (after?: string) => ask(api.GET("/scopes/{scope}/matrix", { params: { path: { scope: scope.id }, query: { against, rows, find: asked.find.value.trim() || undefined, after, limit: 200 } } }));

  let typed = asked.find.value;
  $effect(() => {
    const pause = typed === asked.find.value ? 0 : typing;
    typed = asked.find.value;
    return asking(() => read(), (found) => ([matrix, problem] = [found, null]), (caught) => (problem = caught), pause);
  });

  async function more() {
    try {
      const next = await read(matrix?.next);
      matrix = { ...next, rows: [...(matrix?.rows ?? []), ...next.rows] };
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  // Those who hold the same are one row, until it is unfolded.
  let unfolded = $state("");
  const folded = $derived.by(() => {
    const byCells = new Map<string, Schemas["MatrixRow"][]>();
    for (const row of matrix?.rows ?? []) {
      const key = row.cells.join(" ");
      byCells.set(key, [...(byCells.get(key) ?? []), row]);
    }
    return [...byCells].map(([key, same]) => ({ key, same, shown: key === unfolded ? same : same.slice(0, 1) }));
  });
  const lines = $derived(folded.flatMap((f) => f.shown.map((row, i) => ({ row, fold: i === 0 && f.same.length > 1 ? f : null }))));

  const choice =
    "cursor-pointer border border-gray-300 px-3 py-1 text-sm first-of-type:rounded-l-lg last-of-type:-ml-px last-of-type:rounded-r-lg has-checked:border-primary-600 has-checked:bg-primary-50 has-checked:font-semibold has-focus-visible:outline-2 has-focus-visible:outline-primary-500 dark:border-gray-600 dark:has-checked:border-primary-400 dark:has-checked:bg-primary-900/70";
  const signs: Record<string, string> = { y: "held", m: "held under a condition or later", n: "not held" };
  const example = (held: number, maybe: number) => [{ class: "observe" as const, held, maybe, all: 2 }];
</script>

<section aria-labelledby="matrix-heading" class="mb-7">
  <div class="mb-3 flex flex-wrap items-center gap-x-6 gap-y-2">
    <h2 id="matrix-heading" class="text-lg font-semibold">Who holds what here</h2>
    <fieldset class="flex">
      <legend class="sr-only">Rows</legend>
      <label class={choice}><input type="radio" name="rows" value="people" bind:group={asked.rows.value} class="sr-only" />People and machines</label>
      <label class={choice}><input type="radio" name="rows" value="groups" bind:group={asked.rows.value} class="sr-only" />Groups</label>
    </fieldset>
    {#if scope.kind !== "resource"}
      <fieldset class="flex">
        <legend class="sr-only">Columns</legend>
        <label class={choice}><input type="radio" name="against" value="types" bind:group={asked.against.value} class="sr-only" />By type</label>
        <label class={choice}><input type="radio" name="against" value="children" bind:group={asked.against.value} class="sr-only" />By what is in it</label>
      </fieldset>
    {/if}
    <div class="w-52"><TextInput type="search" bind:value={asked.find.value} placeholder="Find by name" aria-label="Find by name" /></div>
    {#if matrix}
      <QuietButton size="xs" class="ml-auto" onclick={() => matrix && save(`${scope.name}-access.csv`, "text/csv", csv(rowsAsCSV(matrix)))}>Save as CSV</QuietButton>
    {/if}
  </div>
  {#if problem}
    <ProblemNote {problem} />
  {:else if !matrix}
    <Skeleton rows={6} />
  {:else if matrix.rows.length === 0 || matrix.columns.length === 0}
    <p class="card quiet px-5 py-4">{matrix.columns.length === 0 ? "There is nothing in it." : asked.find.value.trim() ? "Nobody of that name holds anything here." : "None of these holds anything here."}</p>
  {:else}
    <p class="quiet mb-2 flex flex-wrap items-center gap-x-4 gap-y-1 text-sm" data-test="legend">
      <span>A square for each <Term word="class" />:</span>
      {#each classes as name (name)}<span class="flex items-center gap-1.5"><MatrixGlyph control={classes.map((c) => ({ class: c, held: c === name ? 1 : 0, maybe: 0, all: 1 }))} data={[]} />{name}</span>{/each}
      <span>Above: control <Term word="plane" />. Below: data plane.</span>
      <span class="flex items-center gap-1.5"><MatrixGlyph control={example(2, 0)} data={[]} squares={1} />all</span>
      <span class="flex items-center gap-1.5"><MatrixGlyph control={example(1, 0)} data={[]} squares={1} />some</span>
      <span class="flex items-center gap-1.5"><MatrixGlyph control={example(0, 2)} data={[]} squares={1} />under a condition</span>
      <span class="flex items-center gap-1.5"><MatrixGlyph control={example(0, 0)} data={[]} squares={1} />none</span>
    </p>
    <div class="card overflow-x-auto">
      <table class="rows keeps max-sm:min-w-[36rem]" data-test="matrix">
        <thead>
          <tr>
            <th class="who">Who</th>
            {#each matrix.columns as column (column.name)}
              <th class="px-1.5! font-normal">{#if against === "children"}<a class="link" href={href.scope(column.at.address)}>{column.name}</a>{:else}{column.name}{/if}</th>
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each lines as { row, fold } (whoOf(row))}
            <tr>
              <th scope="row" class="who border-gray-100! text-base! font-normal! text-inherit! dark:border-gray-800!"><Who who={row.principal} />{#if fold}<button type="button" class="link ml-6 block text-sm" aria-expanded={fold.key === unfolded} onclick={() => (unfolded = fold.key === unfolded ? "" : fold.key)}>{fold.key === unfolded ? "fold" : `and ${fold.same.length - 1} more alike`}</button>{/if}</th>
              {#each matrix.columns as column, i (column.name)}
                {@const cell = row.cells[i] ?? ""}
                {@const words = inWords(column, cell)}
                <td class="px-0.5!">
                  <button
                    type="button"
                    class="rounded px-1 py-1 hover:bg-gray-100 dark:hover:bg-gray-700 {chosen?.row === row && chosen.column === column ? 'ring-2 ring-primary-400' : ''}"
                    aria-label="{row.principal.name}, {column.name}: {words}"
                    title={words}
                    onclick={() => (open = { who: whoOf(row), column: column.name })}
                  >
                    <MatrixGlyph control={tallies(column, cell, "control")} data={tallies(column, cell, "data")} />
                  </button>
                </td>
              {/each}
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
    {#if matrix.next}<QuietButton size="sm" class="mt-2" onclick={more}>Show more</QuietButton>{/if}
    {#if chosen}
      {@const c = chosen}
      <div class="card mt-3 px-5 py-4" role="status" data-test="cell">
        <p class="mb-2"><Who who={c.row.principal} /> <span class="quiet">and</span> <strong>{c.column.name}</strong> <span class="quiet">at</span> <span class="address">{c.column.at.address}</span></p>
        <ul class="grid grid-cols-3 gap-x-6 gap-y-1 max-lg:grid-cols-2 max-sm:grid-cols-1">
          {#each c.column.permissions as p, i (p.operation + p.type)}
            {@const sign = c.cell[i] ?? "n"}
            {@const name = p.operation + " " + p.type}
            <li class="flex items-baseline gap-2">
              <span class="w-4 shrink-0 text-center font-semibold {sign === 'n' ? 'quiet' : p.class === 'govern' ? 'text-copper-700 dark:text-copper-300' : 'text-primary-700 dark:text-primary-300'}" aria-hidden="true">{sign === "y" ? "✓" : sign === "m" ? "?" : "·"}</span>
              <a class={sign === "n" ? "quiet" : "link"} href={href.check({ [c.row.principal.kind]: c.row.principal.name, may: name, at: c.column.at.address })} title="{signs[sign]}; explain">{name}</a>
              <span class="sr-only">{signs[sign]}</span>
            </li>
          {/each}
        </ul>
      </div>
    {:else}
      <p class="quiet mt-2 text-sm">Press a cell to see each permission in it, and why it is held or not.</p>
    {/if}
  {/if}
</section>
