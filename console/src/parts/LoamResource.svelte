<!-- A resource in Loam: what it is, and what may be done with it; what is off says why. -->
<script lang="ts">
  import { asProblem, type Problem } from "../lib/api";
  import { loam, type Act, type Resource } from "../lib/loam.svelte";
  import { viewing } from "../lib/viewing.svelte";
  import { capital, href } from "../lib/words";
  import KindIcon from "./KindIcon.svelte";
  import LoamAct from "./LoamAct.svelte";
  import LoamForm from "./LoamForm.svelte";
  import LoamMade from "./LoamMade.svelte";
  import LoamObjects from "./LoamObjects.svelte";
  import LoamProgram from "./LoamProgram.svelte";
  import LoamReason from "./LoamReason.svelte";
  import LoamRecords from "./LoamRecords.svelte";
  import ProblemNote from "./ProblemNote.svelte";

  let { resource, onchange }: { resource: Resource; onchange: () => void } = $props();

  let shown = $state(""); // the permission whose panel is open
  let problem = $state.raw<Problem | null>(null);
  let form = $state(false);
  let operation = $state<"edit" | "resize">("edit");

  const panels = ["describe", "list", "query", "enter", "run", "watch"];
  const words: Record<string, string> = { describe: "Details", list: "Objects", query: "Records", enter: "Run a program", run: "Notebook" };
  // What a panel holds has no button beside it.
  const within = ["fetch object", "put object", "erase object", "connect database", "amend database", "purge database", "read lab", "write lab"];
  const acts = $derived(resource.acts.filter((a) => !within.includes(a.permission)));
  const open = $derived(acts.find((a) => a.permission === shown));

  async function press(act: Act) {
    problem = null;
    if (!act.on || panels.includes(act.operation)) {
      shown = shown === act.permission ? "" : act.permission;
      return;
    }
    shown = "";
    if (act.operation === "visit") {
      window.open(loam.appPage(resource.address), "_blank", "noopener");
    } else if (act.operation === "edit" || act.operation === "resize") {
      operation = act.operation;
      form = true;
    } else {
      try {
        await loam.act(resource.address, act.operation);
        onchange();
      } catch (caught) {
        problem = asProblem(caught);
      }
    }
  }
</script>

<li class="border-b border-gray-100 px-5 py-3.5 last:border-0 dark:border-gray-800" data-resource={resource.name}>
  <div class="flex flex-wrap items-center gap-x-4 gap-y-2">
    <div class="flex w-72 min-w-0 items-center gap-3 max-sm:w-full">
      <KindIcon kind="resource" type={resource.type} class="h-6 w-6" />
      <div class="min-w-0">
        <a class="link block truncate font-semibold" href={href.scope(resource.address)} title="Its access, in the tree">{resource.name}</a>
        <p class="quiet truncate text-sm">{[resource.title, resource.size].filter(Boolean).join(", ") || resource.type}</p>
      </div>
    </div>
    <div class="w-24">
      {#if resource.state}
        <span class="inline-flex items-center gap-1.5 text-sm"
          ><span class="h-2 w-2 rounded-full {resource.state === 'running' ? 'bg-primary-500' : 'border border-gray-500'}" aria-hidden="true"></span>{resource.state}</span
        >
      {/if}
    </div>
    <div class="flex min-w-0 flex-1 flex-wrap gap-1.5">
      {#each acts as act (act.permission)}
        {#if !(act.operation === "visit" && viewing.as)}<LoamAct {act} word={words[act.operation] ?? capital(act.operation)} open={shown === act.permission} onpress={() => press(act)} />{/if}
      {/each}
    </div>
  </div>
  {#if problem}<div class="mt-3"><ProblemNote {problem} /></div>{/if}
  {#if open}
    <div class="mt-3 rounded-lg bg-gray-50 px-4 py-3 dark:bg-gray-800/60">
      {#if !open.on}<LoamReason act={open} />
      {:else if open.operation === "list"}<LoamObjects {resource} />
      {:else if open.operation === "query"}<LoamRecords {resource} />
      {:else if open.operation === "enter" || open.operation === "run"}<LoamProgram {resource} />
      {:else}<LoamMade {resource} watching={open.operation === "watch"} />{/if}
    </div>
  {/if}
</li>
<LoamForm bind:open={form} at={resource.address} type={resource.type} {resource} {operation} ondone={onchange} />
