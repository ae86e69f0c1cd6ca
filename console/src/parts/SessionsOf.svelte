<!-- The sessions of somebody else that work in the organisation. -->
<script lang="ts">
  import { api, ask } from "../lib/api";
  import { Reading } from "../lib/reading.svelte";
  import { session } from "../lib/session.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import SessionTable from "./SessionTable.svelte";

  let { kind, name, mayEnd }: { kind: "user" | "guest" | "outside-person"; name: string; mayEnd: boolean } = $props();

  const path = $derived({ organisation: session.organisation, kind, principal: name });

  const read = new Reading(async () => (await ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}/sessions", { params: { path } }))).sessions);

  const end = (id: string) => read.after(() => ask(api.DELETE("/organisations/{organisation}/principals/{kind}/{principal}/sessions/{session}", { params: { path: { ...path, session: id } } })));
</script>

<section class="mt-7" aria-labelledby="sessions-heading">
  <h2 id="sessions-heading" class="mb-2 text-lg font-semibold">Sessions here</h2>
  {#if read.problem}<div class="mb-3"><ProblemNote problem={read.problem} /></div>{/if}
  {#if read.value}<SessionTable sessions={read.value} {mayEnd} onend={end} />{/if}
</section>
