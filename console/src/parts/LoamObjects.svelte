<!-- The objects of a bucket. -->
<script lang="ts">
  import { asProblem, type Problem } from "../lib/api";
  import { save } from "../lib/download";
  import { labelled } from "../lib/labelled";
  import { loam, type Act, type Resource, type Stored } from "../lib/loam.svelte";
  import { moment } from "../lib/words";
  import LoamAct from "./LoamAct.svelte";
  import LoamReason from "./LoamReason.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import Skeleton from "./Skeleton.svelte";

  let { resource }: { resource: Resource } = $props();

  let list = $state.raw<Stored[] | null>(null);
  let problem = $state.raw<Problem | null>(null);
  let off = $state.raw<Act | null>(null);
  let input = $state<HTMLInputElement>();

  const act = (operation: string) => resource.acts.find((a) => a.permission === operation + " object")!;

  async function load() {
    try {
      list = await loam.objects(resource.address);
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    load();
  });

  // press does what is on, and tells why of what is off.
  async function press(a: Act, run: () => Promise<unknown>) {
    problem = null;
    off = a.on ? null : a;
    if (!a.on) return;
    try {
      await run();
      await load();
    } catch (caught) {
      problem = asProblem(caught);
    }
  }

  async function fetchObject(name: string) {
    const blob = await loam.fetch(resource.address + "/" + name);
    save(name.split("/").pop() ?? name, blob.type, blob);
  }

  async function putFile() {
    const file = input?.files?.[0];
    if (file) await press(act("put"), () => loam.put(resource.address + "/" + file.name, file));
  }

  function size(bytes: number): string {
    if (bytes < 1024) return bytes + " B";
    return bytes < 1 << 20 ? (bytes / 1024).toFixed(1) + " KiB" : (bytes / (1 << 20)).toFixed(1) + " MiB";
  }
</script>

{#if problem}<div class="mb-3"><ProblemNote {problem} /></div>{/if}
{#if off}<div class="mb-3"><LoamReason act={off} /></div>{/if}
{#if list}
  <div class="mb-2 flex items-center gap-3">
    <LoamAct act={act("put")} word="Put a file" onpress={() => (act("put").on ? input?.click() : press(act("put"), async () => {}))} />
    <input bind:this={input} type="file" class="sr-only" tabindex="-1" aria-label="The file to put" onchange={putFile} />
  </div>
  {#if list.length === 0}
    <p class="quiet">The bucket is empty.</p>
  {:else}
    <div class="relative overflow-x-auto">
      <table {@attach labelled} class="rows" data-test="objects">
        <thead><tr><th>Object</th><th>Size</th><th>Put</th><th>By</th><th><span class="sr-only">What to do</span></th></tr></thead>
        <tbody>
          {#each list as o (o.name)}
            <tr>
              <td><span class="address">{o.name}</span></td>
              <td class="whitespace-nowrap">{size(o.size)}</td>
              <td class="quiet text-sm whitespace-nowrap">{moment(o.putAt)}</td>
              <td class="quiet text-sm">{o.putBy}</td>
              <td>
                <span class="flex justify-end gap-1.5">
                  <LoamAct act={act("fetch")} word="Fetch" onpress={() => press(act("fetch"), () => fetchObject(o.name))} />
                  <LoamAct act={act("erase")} word="Erase" onpress={() => press(act("erase"), () => loam.erase(resource.address + "/" + o.name))} />
                </span>
              </td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
{:else if !problem}
  <Skeleton rows={3} />
{/if}
