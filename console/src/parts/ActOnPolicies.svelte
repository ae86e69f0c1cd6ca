<!-- Suspends, resumes or deletes the policies of several statements as one change, after showing what it does. -->
<script lang="ts">
  import { api, ask, type Schemas } from "../lib/api";
  import { sending } from "../lib/sending";
  import { session } from "../lib/session.svelte";
  import { count } from "../lib/words";
  import ChangeDialog from "./ChangeDialog.svelte";

  type Way = "suspend" | "resume" | "delete";
  let { chosen, ondone }: { chosen: Schemas["Statement"][]; ondone: () => void } = $props();

  const words: Record<Way, { word: string; told: string; said: string }> = {
    suspend: { word: "Suspend", told: "suspended", said: "They decide nothing until they are resumed. Their text stays." },
    resume: { word: "Resume", told: "resumed", said: "They decide again, at once." },
    delete: { word: "Delete", told: "deleted", said: "All their statements stop at once, those too that are not chosen here." },
  };
  let open = $state(false);
  let way = $state<Way>("suspend");

  const policies = $derived([...new Map(chosen.map((s) => [s.policy.id, { ...s.policy, suspended: s.suspended }])).values()]);
  const inState = (w: Way) => (w === "delete" ? policies : policies.filter((p) => p.suspended === (w === "resume")));
  const meant = $derived(inState(way));
  const offered = $derived((Object.keys(words) as Way[]).filter((w) => inState(w).length > 0));
  const many = $derived(count(meant.length, "policy", "policies"));
  const changes = $derived(meant.map(({ id }) => (way === "suspend" ? { suspendPolicy: id } : way === "resume" ? { resumePolicy: id } : { removePolicy: id })));

  const { preview, make } = sending(
    (query, header) => ask(api.POST("/organisations/{organisation}/changes", { params: { path: { organisation: session.organisation }, query, header }, body: { changes } })),
    () => `${many} ${words[way].told}.`,
    () => ondone(),
  );
</script>

{#each offered as w (w)}<button type="button" class="link" onclick={() => ((way = w), (open = true))}>{words[w].word} {count(inState(w).length, "policy", "policies")}</button>{/each}

<ChangeDialog bind:open title="{words[way].word} {many}?" action={words[way].word} ready={meant.length > 0} {preview} {make}>
  {#snippet children()}
    <ul class="max-h-40 overflow-y-auto">{#each meant as p (p.id)}<li><strong>{p.name}</strong> <span class="quiet">attached to <span class="address">{p.scope.address}</span></span></li>{/each}</ul>
    <p class="quiet">{words[way].said}</p>
  {/snippet}
</ChangeDialog>
