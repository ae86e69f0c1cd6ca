<!-- The tree as an icicle, from the organisation on the left to its resources on the right, each scope coloured by the
     strongest class of act that somebody may do there, so that too much access is seen at a glance. -->
<script lang="ts">
  import { hierarchy, partition, type HierarchyRectangularNode } from "d3-hierarchy";
  import { push } from "svelte-spa-router";
  import { api, ask, type Schemas } from "../lib/api";
  import { classes, heldInWords } from "../lib/matrix";
  import { Drawing } from "../lib/drawing.svelte";
  import { QueryParam } from "../lib/queryparam.svelte";
  import { Reading } from "../lib/reading.svelte";
  import { session } from "../lib/session.svelte";
  import { count, href } from "../lib/words";
  import ProblemNote from "./ProblemNote.svelte";
  import Skeleton from "./Skeleton.svelte";

  let { kind, name }: { kind: string; name: string } = $props();

  type Node = Schemas["SpreadNode"];
  type Cell = HierarchyRectangularNode<Node>;

  const asked = new QueryParam("at"); // the scope that it is zoomed to
  let each = $state(false); // what is alike is drawn one by one
  const read = new Reading(
    async () => (await ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}/spread", { params: { path: { organisation: session.organisation, kind: kind as "user", principal: name }, query: { at: asked.value || undefined, each } } }))).nodes,
  );
  const nodes = $derived(read.value);

  const width = 1180;
  const line = 19; // of a scope without others in it
  const cells = $derived.by((): { all: Cell[]; height: number } => {
    if (!nodes?.[0]) return { all: [], height: 0 };
    const within = new Map<string, Node[]>();
    for (const n of nodes.slice(1)) within.set(n.scope.parent, [...(within.get(n.scope.parent) ?? []), n]);
    const root = hierarchy(nodes[0], (n) => within.get(n.scope.id)).count();
    const height = (root.value ?? 1) * line;
    // Its x runs downwards and its y to the right: the tree lies on its side.
    return { all: partition<Node>().size([height, width]).padding(1)(root).descendants(), height };
  });
  // What fits a window is drawn first.
  const drawing = new Drawing(() => nodes !== null);
  const drawn = $derived(drawing.rows === Infinity ? cells.all : cells.all.filter((cell) => cell.x0 < innerHeight));
  const cut = $derived(nodes?.some((n) => n.scope.more) ?? false);

  // The way from the organisation to what is drawn.
  const way = $derived(nodes?.[0]?.scope.address.split("/").map((word, i, all) => ({ word, address: all.slice(0, i + 1).join("/") })) ?? []);

  function open({ data, children, depth }: Cell) {
    if (depth > 0 && (children || data.alike || data.scope.more)) asked.value = data.scope.address;
    else push(href.scope(data.scope.address).slice(1));
  }

  const ink = { text: "fill-gray-900 dark:fill-gray-50", line: "stroke-gray-900 dark:stroke-gray-50" };
  const light = { text: "fill-white", line: "stroke-white" };
  const faint = { text: "fill-gray-500 dark:fill-gray-400", line: "stroke-gray-900 dark:stroke-gray-50" };
  const tones: Record<string, { fill: string; text: string; line: string }> = {
    none: { fill: "fill-gray-100 dark:fill-gray-800", ...faint },
    observe: { fill: "fill-primary-100 dark:fill-primary-900", ...ink },
    operate: { fill: "fill-primary-200 dark:fill-primary-800", ...ink },
    modify: { fill: "fill-primary-300 dark:fill-primary-700", ...ink },
    destroy: { fill: "fill-primary-600 dark:fill-primary-500", ...light },
    govern: { fill: "fill-copper-700 dark:fill-copper-600", ...light },
    hidden: { fill: "fill-none stroke-gray-300 dark:stroke-gray-600", ...faint },
  };
  const legend: [string, string][] = [["none", "nothing"], ["observe", "observe"], ["operate", "operate"], ["modify", "modify"], ["destroy", "destroy"], ["govern", "govern"]];

  const strongest = (n: Node, conditional: boolean) => [...classes].reverse().find((c) => n.holds.some((h) => h.class === c && h.conditional === conditional));
  const tone = (n: Node) => (n.visible ? (strongest(n, false) ?? "none") : "hidden");
  const ofData = (n: Node) => n.holds.some((h) => h.plane === "data" && !h.conditional);
  const perhaps = (n: Node) => n.holds.some((h) => h.conditional);

  const inWords = (n: Node) => (n.visible ? heldInWords(n.holds) : "you may not list the grants there");
</script>

{#if read.problem}
  <ProblemNote problem={read.problem} />
{:else if !nodes}
  <Skeleton rows={6} />
{:else}
  <p class="quiet mb-2 flex flex-wrap items-center gap-x-4 gap-y-1 text-sm">
    <span>The strongest that {name} may do there:</span>
    {#each legend as [key, word] (key)}
      <span class="flex items-center gap-1.5"><svg width="12" height="12" aria-hidden="true"><rect width="12" height="12" rx="2" class={tones[key]?.fill} /></svg>{word}</span>
    {/each}
    <span class="flex items-center gap-1.5"><svg width="8" height="12" aria-hidden="true"><rect x="3" width="4" height="12" class="fill-gray-900 dark:fill-gray-50" /></svg>data too</span>
    <span class="flex items-center gap-1.5"><svg width="12" height="12" aria-hidden="true"><rect x="1" y="1" width="10" height="10" fill="none" stroke-dasharray="2 1.5" class="stroke-gray-900 dark:stroke-gray-50" /></svg>more under a condition</span>
  </p>
  <div class="mb-2 flex flex-wrap items-baseline gap-x-2 gap-y-1" data-test="zoom">
    {#each way as step, i (step.address)}
      {#if i > 0}<span class="quiet">/</span>{/if}
      {#if i === way.length - 1}<strong>{step.word}</strong>{:else}<button type="button" class="link" onclick={() => (asked.value = i === 0 ? "" : step.address)}>{step.word}</button>{/if}
    {/each}
    {#if way.length > 0}<a class="link ml-3 text-sm" href={href.scope(way.at(-1)?.address ?? "")}>Open {way.at(-1)?.word}</a>{/if}
    <label class="ml-auto flex items-center gap-2"><input type="checkbox" class="box" name="each" bind:checked={each} />Show every scope, equal ones too</label>
  </div>
  <p class="quiet mb-2 text-sm">Press a scope to zoom to it, and its name above to go back.{#if cut}{" "}<strong>Not everything is shown: press a scope that has more below.</strong>{/if}</p>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex: what scrolls must be reached by keyboard -->
  <div class="card overflow-x-auto p-3" role="region" aria-label="The picture of the tree" tabindex="0">
    <svg viewBox="0 0 {width} {cells.height}" class="min-w-[56rem]" role="img" aria-label="Access map of {name}: the tree, coloured by what they may do; the table of rules tells the same" data-test="spread">
      {#each drawn as cell (cell.data.scope.id)}
        {@const n = cell.data}
        {@const inside = n.alike ?? 0}
        {@const label = n.scope.name + (inside > 0 ? ` and ${count(inside, "scope")} alike` : n.scope.more ? " and more below" : "")}
        {@const t = tones[tone(n)]}
        {@const w = cell.y1 - cell.y0}
        {@const h = cell.x1 - cell.x0}
        <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions: the tree beside the scopes' pages is how a keyboard gets there -->
        <g class="cursor-pointer" onclick={() => open(cell)} data-holds={tone(n)} data-scope={n.scope.name}>
          <title>{n.scope.address}{inside > 0 ? ` and ${count(inside, "scope")} below` : ""}: {inWords(n)}</title>
          <rect x={cell.y0} y={cell.x0} width={w} height={h} rx="3" class={t?.fill} />
          {#if perhaps(n)}<rect x={cell.y0 + 1} y={cell.x0 + 1} width={w - 2} height={h - 2} rx="2" fill="none" stroke-dasharray="3 2" class={t?.line} />{/if}
          {#if ofData(n)}<rect x={cell.y1 - 5} y={cell.x0 + 2} width="3" height={h - 4} class={t?.text} />{/if}
          <text x={cell.y0 + 6} y={cell.x0 + Math.min(h / 2, 40) + 4} class="text-[11.5px] {t?.text}">{label.length * 6.4 > w - 14 ? label.slice(0, Math.floor((w - 20) / 6.4)) + "…" : label}</text>
        </g>
      {/each}
    </svg>
  </div>
{/if}
