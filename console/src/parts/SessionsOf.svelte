<!-- The sessions of somebody else that work in the organisation. -->
<script lang="ts">
  import { api, ask, asProblem, type Problem, type Schemas } from "../lib/api";
  import { whenChanged } from "../lib/live.svelte";
  import { session } from "../lib/session.svelte";
  import ProblemNote from "./ProblemNote.svelte";
  import SessionTable from "./SessionTable.svelte";

  let { kind, name, mayEnd }: { kind: "user" | "guest"; name: string; mayEnd: boolean } = $props();

  let sessions = $state.raw<Schemas["OpenSession"][] | null>(null);
  let problem = $state.raw<Problem | null>(null);

  const path = $derived({ organisation: session.organisation, kind, principal: name });

  async function load() {
    try {
      sessions = (await ask(api.GET("/organisations/{organisation}/principals/{kind}/{principal}/sessions", { params: { path } }))).sessions;
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
  $effect(() => {
    load();
  });
  whenChanged(load);

  async function end(id: string) {
    problem = null;
    try {
      await ask(api.DELETE("/organisations/{organisation}/principals/{kind}/{principal}/sessions/{session}", { params: { path: { ...path, session: id } } }));
      await load();
    } catch (caught) {
      problem = asProblem(caught);
    }
  }
</script>

<section class="mt-7" aria-labelledby="sessions-heading">
  <h2 id="sessions-heading" class="mb-2 text-lg font-semibold">Sessions here</h2>
  {#if problem}<div class="mb-3"><ProblemNote {problem} /></div>{/if}
  {#if sessions}<SessionTable {sessions} {mayEnd} onend={end} />{/if}
</section>
