<!-- What a resource is made of, or what is attached to a network. -->
<script lang="ts">
  import { asProblem, type Problem } from "../lib/api";
  import { loam, type Attached, type Description, type Resource } from "../lib/loam.svelte";
  import { href } from "../lib/words";
  import ProblemNote from "./ProblemNote.svelte";
  import Skeleton from "./Skeleton.svelte";

  let { resource, watching = false }: { resource: Resource; watching?: boolean } = $props();

  let made = $state.raw<Description | null>(null);
  let attached = $state.raw<Attached[] | null>(null);
  let problem = $state.raw<Problem | null>(null);

  $effect(() => {
    const asked = watching
      ? loam.act<{ attached: Attached[] }>(resource.address, "watch").then((seen) => void (attached = seen.attached))
      : loam.act(resource.address, "describe").then((d) => void (made = d));
    asked.catch((caught) => (problem = asProblem(caught)));
  });

  const facts = $derived.by((): [string, string, string?][] => {
    if (!made) return [];
    const at = made.attributes;
    const scope = (id?: string): [string, string?] => (id ? (made?.addresses?.[id] ? [made.addresses[id], href.scope(made.addresses[id])] : ["one that you do not see"]) : [""]);
    const all: [string, string, string?][] = [
      ["Size", at.size ?? ""], ["Network", ...scope(at.network)], ["Runs as", at.asNamed ?? "", at.asNamed && href.account(at.asNamed)], ["Machine", ...scope(at.machine)],
      ["In network", ...scope(at.within)], ["Range", at.range ?? ""], ["Takes at most", at.largest ? at.largest + " bytes" : ""], ["Lets pass", (at.rules ?? []).join("; ")], ["Id", made.id],
    ];
    return all.filter((f) => f[1]);
  });
</script>

{#if problem}
  <ProblemNote {problem} />
{:else if made}
  <dl class="grid grid-cols-[8rem_minmax(0,1fr)] gap-y-1" data-test="made">
    {#each facts as [name, value, to] (name)}
      <dt class="quiet">{name}</dt>
      <dd class="address min-w-0 break-words">{#if to}<a class="link" href={to}>{value}</a>{:else}{value}{/if}</dd>
    {/each}
  </dl>
{:else if attached}
  {#if attached.length === 0}<p class="quiet">Nothing is attached to the network.</p>{/if}
  <ul>
    {#each attached as other (other.id)}<li>{other.type} <span class="address">{other.address ?? "that you do not see"}</span> {other.state ?? ""} {other.range ?? ""}</li>{/each}
  </ul>
{:else}
  <Skeleton rows={2} />
{/if}
