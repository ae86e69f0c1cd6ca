<!-- A list that the service finds, orders and hands out in parts: searched by words, narrowed by filters, ordered by a column, its
columns chosen, its rows chosen by mouse or keyboard and acted on, and what is shown saved as a file. -->
<script lang="ts" generics="T">
  import { untrack, type Snippet } from "svelte";
  import { SvelteMap } from "svelte/reactivity";
  import { asProblem, type Problem } from "../lib/api";
  import { asking, typing } from "../lib/asking";
  import { csv, save } from "../lib/download";
  import { Drawing } from "../lib/drawing.svelte";
  import { labelled } from "../lib/labelled";
  import { chosenColumns, whole, type Column, type Filter, type Part, type Question } from "../lib/lists";
  import { live, whenChanged, type Shown } from "../lib/live.svelte";
  import { QueryParam } from "../lib/queryparam.svelte";
  import { count, of } from "../lib/words";
  import Choice from "./Choice.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import Skeleton from "./Skeleton.svelte";
  import TextInput from "./TextInput.svelte";

  let {
    name, one, many = one + "s", columns, filters = [], find, read, id, label, cell, acts, empty, shows, order = "",
  }: {
    name: string; // of the list, where its columns are remembered
    one: string; // what one item is called
    many?: string; // and several
    columns: Column<T>[];
    filters?: Filter[];
    find: string; // what can be looked for
    read: (asked: Question & Record<string, unknown>) => Promise<Part<T>>;
    id: (item: T) => string;
    label: (item: T) => string; // what an item is called where it can be chosen
    cell?: Snippet<[T, string]>; // draws a column of an item
    acts?: Snippet<[T[], () => void]>; // what can be done to those chosen; without it none can be
    empty: string; // said where there is nothing at all
    shows?: () => Shown;
    order?: string; // the column it is ordered by at first; empty for its own order
  } = $props();

  const drawing = new Drawing(() => part !== null);
  const atOnce = 50; // drawn within the blink of an eye
  const words = new QueryParam("find");
  const sort = new QueryParam("sort", untrack(() => order));
  const direction = new QueryParam("order");
  const narrowed = untrack(() => filters.map((filter) => ({ filter, param: new QueryParam(filter.key) })));
  const names = $state<Record<string, Awaited<ReturnType<NonNullable<Filter["names"]>>>>>({});

  let part = $state.raw<Part<T> | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let saving = $state(false);
  let shown = $state<string[]>(untrack(() => chosenColumns.read(name) ?? columns.filter((c) => !c.spare).map((c) => c.key)));
  const chosen = new SvelteMap<string, T>();
  let last = -1; // the row that was chosen last, from which a range goes

  const visible = $derived(columns.filter((c) => shown.includes(c.key)));
  const asked = $derived<Record<string, unknown>>({
    find: words.value.trim() || undefined,
    sort: sort.value || undefined,
    descending: direction.value === "descending" || undefined,
    ...Object.fromEntries(narrowed.map(({ filter, param }) => [filter.key, param.value.trim() || undefined])),
  });
  const isNarrowed = $derived(Object.entries(asked).some(([key, value]) => value && key !== "sort" && key !== "descending"));

  let typed = untrack(() => words.value);
  // Asked before the list is drawn, it is answered while that goes on.
  $effect.pre(() => {
    const question = asked;
    const paused = typed === words.value ? 0 : typing;
    typed = words.value;
    return asking(() => read({ ...question, limit: atOnce }), (found) => ([part, problem, last] = [found, null, -1]), (caught) => (problem = caught), paused);
  });

  // Read again as much as is shown; what is chosen and gone is chosen no more.
  async function reload() {
    try {
      const again = await read({ ...asked, limit: Math.min(500, Math.max(atOnce, part?.items.length ?? 0)) });
      part = again;
      for (const item of again.items) if (chosen.has(id(item))) chosen.set(id(item), item);
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  whenChanged(reload, () => shows?.() ?? {});

  // Names to choose from are asked for once somebody comes to choose; without them they are written.
  function askNames(filter: Filter) {
    if (names[filter.key]) return;
    names[filter.key] = [];
    filter.names?.().then((options) => (names[filter.key] = options), (caught) => (problem = asProblem(caught)));
  }

  async function more() {
    if (!part?.next) return;
    try {
      const next = await read({ ...asked, after: part.next, limit: atOnce });
      part = { ...next, items: [...part.items, ...next.items] };
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  const all = () => whole((after) => read({ ...asked, after, limit: 500 }));

  async function chooseAll() {
    try {
      for (const item of await all()) chosen.set(id(item), item);
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  async function saveShown() {
    saving = true;
    try {
      const items = chosen.size > 0 ? [...chosen.values()] : await all();
      save(`${name.replaceAll(" ", "-")}.csv`, "text/csv", csv([visible.map((c) => c.word), ...items.map((item) => visible.map((c) => c.value(item)))]));
    } catch (caught) {
      problem = asProblem(caught);
    } finally {
      saving = false;
    }
  }

  function orderBy(column: Column<T>) {
    const turned = sort.value === column.key && direction.value === "";
    sort.value = column.key;
    direction.value = turned ? "descending" : "";
  }

  function show(column: Column<T>, wanted: boolean) {
    shown = columns.filter((c) => (c === column ? wanted : shown.includes(c.key))).map((c) => c.key);
    chosenColumns.write(name, shown);
  }

  function choose(row: number, wanted: boolean, range: boolean) {
    const items = part?.items ?? [];
    const from = range && last >= 0 ? Math.min(last, row) : row;
    const to = range && last >= 0 ? Math.max(last, row) : row;
    for (const item of items.slice(from, to + 1)) {
      if (wanted) chosen.set(id(item), item);
      else chosen.delete(id(item));
    }
    last = row;
  }

  function chooseShown(wanted: boolean) {
    for (const item of part?.items ?? []) {
      if (wanted) chosen.set(id(item), item);
      else chosen.delete(id(item));
    }
  }

  // Arrows go from box to box; with Shift they choose on the way. Space chooses, as in any box.
  function onkeydown(event: KeyboardEvent) {
    const box = event.currentTarget as HTMLInputElement;
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (step === undefined) return;
    event.preventDefault();
    const row = Number(box.dataset.row);
    const next = box.closest("tbody")?.querySelector<HTMLInputElement>(`input[data-row="${row + step}"]`);
    if (!next) return;
    if (event.shiftKey) {
      choose(row, true, false);
      choose(row + step, true, true);
    }
    next.focus();
  }

  const offered = ({ filter, param }: (typeof narrowed)[number]) =>
    !filter.with || param.value !== "" || narrowed.some((other) => other.filter.key === filter.with?.[0] && other.param.value === filter.with[1]);
  const allShown = $derived(part !== null && part.items.length > 0 && part.items.every((item) => chosen.has(id(item))));
  const clear = () => chosen.clear();
</script>

<div class="mb-3 flex flex-wrap items-center gap-x-3 gap-y-2" data-test="filters">
  <div class="min-w-52 flex-1 sm:max-w-md"><TextInput type="search" bind:value={words.value} placeholder={find} aria-label={find} /></div>
  {#each narrowed.filter(offered) as { filter, param } (filter.key)}
    {#if filter.options}
      <select bind:value={param.value} name={filter.key} aria-label={filter.label} class="field max-w-44">
        <option value="">{filter.label}: any</option>
        {#each filter.options as option (option.value)}<option value={option.value}>{filter.label}: {option.word}</option>{/each}
      </select>
    {:else if filter.names}
      <div class="w-36" onfocusin={() => askNames(filter)}><Choice id="filter-{filter.key}" name={filter.key} bind:value={param.value} options={names[filter.key] ?? []} placeholder={filter.placeholder} /></div>
    {:else}
      <div class="w-36"><TextInput name={filter.key} bind:value={param.value} placeholder={filter.placeholder} aria-label={filter.label} /></div>
    {/if}
  {/each}
</div>
{#if problem}<div class="mb-3"><ProblemNote {problem} /></div>{/if}
{#if part}
  <div class="sticky top-0 z-10 mb-1 flex min-h-10 flex-wrap items-center gap-x-5 gap-y-1 bg-gray-50 py-1 dark:bg-gray-950">
    <span class={chosen.size > 0 ? "font-semibold" : "quiet"} data-test="count" aria-live="polite">{chosen.size > 0 ? `${count(chosen.size, one, many)} chosen` : of(part.found, part.all, one, many)}</span>
    {#if chosen.size > 0}
      {@render acts?.([...chosen.values()], clear)}
      <button type="button" class="link" onclick={clear}>Clear selection</button>
    {/if}
    {#if allShown && part.found > part.items.length && chosen.size < part.found}
      <button type="button" class="link" onclick={chooseAll}>Choose all {part.found}</button>
    {/if}
    <details class="relative ml-auto" data-test="columns">
      <summary class="link cursor-pointer list-none">Columns</summary>
      <fieldset class="card absolute right-0 z-20 mt-1 min-w-48 space-y-1 px-4 py-3 shadow-lg">
        <legend class="sr-only">Columns to show</legend>
        {#each columns as column, i (column.key)}
          <label class="flex items-center gap-2 whitespace-nowrap"><input type="checkbox" class="box" name="column-{column.key}" checked={shown.includes(column.key)} disabled={i === 0} onchange={(e) => show(column, e.currentTarget.checked)} />{column.word}</label>
        {/each}
      </fieldset>
    </details>
    <button type="button" class="link" disabled={saving} onclick={saveShown} data-test="save-list">{chosen.size > 0 ? "Save these as CSV" : "Save as CSV"}</button>
  </div>
  <div class="card overflow-x-auto">
    <table {@attach labelled} class="rows" data-test={name.replaceAll(" ", "-")} aria-busy={live.revision === 0 && !part}>
      <thead>
        <tr>
          {#if acts}<th class="choose w-0 pe-0!"><span class="sr-only">Choose</span><input type="checkbox" class="box" aria-label="Choose all that are shown" checked={allShown} onchange={(e) => chooseShown(e.currentTarget.checked)} /></th>{/if}
          {#each visible as column (column.key)}
            <th class={column.number ? "text-right!" : ""} aria-sort={sort.value === column.key ? (direction.value ? "descending" : "ascending") : undefined}>
              {#if column.sorts}
                <button type="button" class="hover:underline" onclick={() => orderBy(column)}>{column.word}</button>
              {:else}{column.word}{/if}
            </th>
          {/each}
        </tr>
      </thead>
      <tbody>
        {#each part.items.slice(0, drawing.rows) as item, row (id(item))}
          <tr class={chosen.has(id(item)) ? "chosen" : ""}>
            {#if acts}
              <td class="choose w-0 pe-0!"><input type="checkbox" class="box" data-row={row} {onkeydown} aria-label="Choose {label(item)}" checked={chosen.has(id(item))} onclick={(e) => choose(row, e.currentTarget.checked, e.shiftKey)} /></td>
            {/if}
            {#each visible as column (column.key)}
              <td class={column.number ? "text-right tabular-nums" : ""}>{#if cell}{@render cell(item, column.key)}{:else}{column.value(item)}{/if}</td>
            {/each}
          </tr>
        {:else}
          <tr><td colspan={visible.length + 1} class="quiet">{isNarrowed ? "Nothing matches: remove a filter." : empty}</td></tr>
        {/each}
      </tbody>
    </table>
  </div>
  {#if part.next}
    <p class="mt-3 flex gap-4"><button type="button" class="link" onclick={more} data-test="more">Show {Math.min(atOnce, part.found - part.items.length)} more</button><span class="quiet">{part.items.length} of {part.found} shown</span></p>
  {/if}
{:else if !problem}
  <Skeleton rows={8} />
{/if}
