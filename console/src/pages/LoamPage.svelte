<script lang="ts">
  import { asProblem, type Problem } from "../lib/api";
  import { whenChanged } from "../lib/live.svelte";
  import { loam, type Act, type Here } from "../lib/loam.svelte";
  import { session } from "../lib/session.svelte";
  import { href } from "../lib/words";
  import KindIcon from "../parts/KindIcon.svelte";
  import LoamAct from "../parts/LoamAct.svelte";
  import LoamForm from "../parts/LoamForm.svelte";
  import LoamReason from "../parts/LoamReason.svelte";
  import LoamResource from "../parts/LoamResource.svelte";
  import Page from "../parts/Page.svelte";
  import ProblemNote from "../parts/ProblemNote.svelte";
  import Skeleton from "../parts/Skeleton.svelte";

  let { params }: { params?: { wild?: string | null } } = $props();

  const address = $derived(params?.wild ? params.wild.split("/").map(decodeURIComponent).join("/") : session.organisation);

  let here = $state.raw<Here | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let making = $state(false);
  let wanted = $state.raw<Act | null>(null); // the type to make, or why it is off

  async function load(at: string) {
    try {
      here = await loam.here(at);
      problem = null;
    } catch (caught) {
      here = null;
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    wanted = null;
    load(address);
  });

  whenChanged(() => load(address));

  const parts = $derived(address.split("/"));
  // Of types that may not be listed, only those matter of which something is shown.
  const unlisted = $derived((here?.unlisted ?? []).filter((off) => here?.resources.some((r) => r.type === off.type)));
  const placeable = $derived(here?.kind === "project" || here?.kind === "compartment" || here?.resources[0]?.type === "network");

  function make(act: Act) {
    wanted = wanted === act && !act.on ? null : act;
    making = act.on;
  }
</script>

<Page title="Loam" lead="The stand-in cloud: what you may use, tried for real. What you may not do says why.">
  <nav aria-label="Address" class="address mb-4 flex flex-wrap items-center gap-x-1.5">
    {#each parts as part, i (i)}
      {#if i > 0}<span class="quiet">/</span>{/if}
      {#if i < parts.length - 1}<a class="link" href={href.loam(parts.slice(0, i + 1).join("/"))}>{part}</a>{:else}<span class="font-semibold">{part}</span>{/if}
    {/each}
    <a class="link ml-3 font-sans text-sm" href={href.scope(address)}>Its access</a>
  </nav>
  {#if problem}
    <ProblemNote {problem} />
  {:else if !here}
    <Skeleton rows={5} />
  {:else}
    {#if here.containers.length > 0}
      <ul class="mb-5 grid grid-cols-3 gap-3 max-lg:grid-cols-2 max-sm:grid-cols-1" aria-label="In it">
        {#each here.containers as node (node.id)}
          <li>
            <a href={href.loam(node.address)} class="card flex items-center gap-3 px-4 py-3 hover:border-primary-400">
              <KindIcon kind={node.kind} class="h-5 w-5" />
              <span class="min-w-0"><span class="block truncate font-semibold">{node.title || node.name}</span><span class="quiet block truncate text-sm">{node.title ? node.kind + " " + node.name : node.kind}</span></span>
            </a>
          </li>
        {/each}
      </ul>
    {/if}
    {#if unlisted.length > 0}
      <div class="card mb-4 border-copper-300! px-5 py-3" data-test="unlisted">
        You may not list {unlisted.map((off) => off.type).join(", ")} here: that needs {unlisted.map((off) => off.permission).join(", ")}. You see only what you have access to.
      </div>
    {/if}
    {#if here.resources.length > 0}
      <ul class="card mb-5" aria-label="Resources">
        {#each here.resources as resource (resource.id)}<LoamResource {resource} onchange={() => load(address)} />{/each}
      </ul>
    {:else if here.containers.length === 0}
      <p class="card quiet mb-5 px-5 py-4">There is nothing here that you may use.</p>
    {/if}
    {#if here.more}<p class="quiet mb-5">There are more than are shown here.</p>{/if}
    {#if placeable && here.creatable.length > 0}
      <section aria-labelledby="make-heading">
        <h2 id="make-heading" class="mb-2 text-lg font-semibold">Create here</h2>
        <div class="flex flex-wrap gap-1.5">
          {#each here.creatable as act (act.type)}<LoamAct {act} word={act.type} open={wanted === act && !act.on} onpress={() => make(act)} />{/each}
        </div>
        {#if wanted && !wanted.on}<div class="card mt-3 px-4 py-3"><LoamReason act={wanted} /></div>{/if}
      </section>
    {/if}
  {/if}
</Page>
<LoamForm bind:open={making} at={here?.address ?? address} type={wanted?.type ?? ""} operation="create" ondone={() => load(address)} />
